package dev.warmshelf.shelf.read;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.shelf.NeedlessReloads;
import dev.warmshelf.shelf.NeedlessReloads.Amount;
import dev.warmshelf.store.Entry;
import dev.warmshelf.time.TimeSource;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import java.util.function.Supplier;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Tells the log of what an operator can do something about: loads that take long, and changes that
 * put out answers which they do not concern. Each cause once an hour at most.
 *
 * <p>Thread-safe, by one lock: who comes here has just been to the database.
 */
final class Warnings {
  private static final Logger LOG = LoggerFactory.getLogger(Warnings.class);
  private static final long WINDOW_NANOS = TimeUnit.MINUTES.toNanos(5);
  private static final long AGAIN_NANOS = TimeUnit.HOURS.toNanos(1);

  /** Of so many in a window it is asked by which columns they could have been spared. */
  private static final int MOST_EVIDENCE = 16;

  private static final int MOST_CAUSES = 1_000;

  /** Of what comes after so many, nothing is counted. */
  private static final int MOST_TABLES = 1_000;

  private final String shelf;
  private final long slowNanos;
  private final Board board;
  private final TimeSource time;
  private final Map<String, Long> toldAt = new HashMap<>();
  private final Map<String, Reloads> byTable = new TreeMap<>();
  private long windowBegan;

  /** Of answers that changes to a table had put out. */
  private static final class Reloads {
    private Amount all = Amount.NONE;
    private Amount before = Amount.NONE;
    private Amount window = Amount.NONE;
    private Map<List<String>, Integer> columnsBefore = Map.of();
    private Map<List<String>, Integer> columns = new HashMap<>();

    void add(boolean isSame, long nanos, Supplier<List<String>> toldApartBy) {
      if (isSame && window.needless() < MOST_EVIDENCE) {
        columns.merge(toldApartBy.get(), 1, Integer::sum);
      }
      Amount more = new Amount(1, isSame ? 1 : 0, isSame ? nanos : 0);
      all = all.and(more);
      window = window.and(more);
    }

    void beginWindow() {
      before = window;
      columnsBefore = columns;
      window = Amount.NONE;
      columns = new HashMap<>();
    }

    NeedlessReloads shown(String table) {
      return new NeedlessReloads(
          table, before.and(window), all, toldApartBy(columns.isEmpty() ? columnsBefore : columns));
    }

    /** What most of them could have been spared by. */
    static List<String> toldApartBy(Map<List<String>, Integer> evidence) {
      return evidence.entrySet().stream()
          .max(Map.Entry.comparingByValue())
          .map(Map.Entry::getKey)
          .orElse(List.of());
    }
  }

  /**
   * @param slowNanos from when on a load takes long
   */
  Warnings(String shelf, long slowNanos, Board board, TimeSource time) {
    this.shelf = shelf;
    this.slowNanos = slowNanos;
    this.board = board;
    this.time = time;
    this.windowBegan = time.nanos();
  }

  /** An answer has been loaded. */
  void loaded(Entry entry) {
    if (entry.loadNanos() < slowNanos || !isToBeTold(entry.key().form().formDigest())) {
      return;
    }
    LOG.warn(
        "Slow load: shelf={} form={} key={} took_ms={}; who asked the same meanwhile has waited. Look"
            + " at its plan (EXPLAIN), or have callers get the answer that is there while one loads"
            + " (old-while-loading), or have it loaded before they ask (ahead). Told once an hour"
            + " for each form. It is: {}",
        shelf,
        entry.key().form().formDigest(),
        entry.key().shortDigest(),
        TimeUnit.NANOSECONDS.toMillis(entry.loadNanos()),
        entry.key().form().normalForm());
  }

  /**
   * An answer has been loaded again that a change had put out.
   *
   * @param before as it was kept
   * @param same whether it says the same as before
   * @param nanos how long that took
   * @param request that it was loaded for
   */
  synchronized void reloaded(Entry before, boolean same, long nanos, ReadRequest<?, ?> request) {
    beginWindows();
    before.footprint().dataLanes().stream()
        .filter(lane -> before.isOutBy(board, lane))
        .map(Lane::table)
        .distinct()
        .filter(table -> byTable.size() < MOST_TABLES || byTable.containsKey(table.name()))
        .forEach(
            table ->
                byTable
                    .computeIfAbsent(table.name(), name -> new Reloads())
                    .add(same, nanos, () -> request.toldApartBy(table)));
  }

  /** What changes invalidated needlessly, by table, that first which took the database longest. */
  synchronized List<NeedlessReloads> needless() {
    beginWindows();
    return byTable.entrySet().stream()
        .map(each -> each.getValue().shown(each.getKey()))
        .filter(each -> each.all().needless() > 0)
        .sorted(
            Comparator.<NeedlessReloads>comparingLong(each -> each.recent().nanos())
                .thenComparingLong(each -> each.all().nanos())
                .reversed())
        .toList();
  }

  private void beginWindows() {
    long windows = (time.nanos() - windowBegan) / WINDOW_NANOS;
    if (windows > 0) {
      tellOfStorms();
      byTable.values().forEach(Reloads::beginWindow);
      if (windows > 1) { // nobody came in the one before
        byTable.values().forEach(Reloads::beginWindow);
      }
      windowBegan = time.nanos();
    }
  }

  private void tellOfStorms() {
    byTable.forEach(
        (table, reloads) -> {
          Amount amount = reloads.window;
          if (amount.isMuch() && isToBeTold(table)) {
            LOG.warn(
                "Needless invalidations: shelf={} table={} loaded_again={} same_as_before={}"
                    + " needless_ms={} within five minutes or little more: changes put out answers"
                    + " that do not show them. {} Told once an hour for each table.",
                shelf,
                table,
                amount.reloads(),
                amount.needless(),
                TimeUnit.NANOSECONDS.toMillis(amount.nanos()),
                new NeedlessReloads(
                        table, amount, reloads.all, Reloads.toldApartBy(reloads.columns))
                    .advice());
          }
        });
  }

  private synchronized boolean isToBeTold(String cause) {
    long now = time.nanos();
    Long last = toldAt.get(cause);
    if (last == null ? toldAt.size() >= MOST_CAUSES : now - last < AGAIN_NANOS) {
      return false;
    }
    toldAt.put(cause, now);
    return true;
  }
}
