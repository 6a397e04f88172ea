package dev.warmshelf.shelf;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.TimeSource;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.store.Entry;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import java.util.function.Supplier;
import java.util.regex.Pattern;
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

  /** Fewer needless reloads in a window cost nobody much. */
  private static final int LEAST_NEEDLESS = 20;

  /** Of so many in a window it is asked by which columns they could have been spared. */
  private static final int MOST_EVIDENCE = 16;

  /** What a shell takes as it is. */
  private static final Pattern PLAIN = Pattern.compile("[A-Za-z0-9_.,:]+");

  private static final int MOST_CAUSES = 1_000;

  private final String shelf;
  private final long slowNanos;
  private final Board board;
  private final TimeSource time;
  private final Map<String, Long> toldAt = new HashMap<>();
  private final Map<String, Reloads> byTable = new TreeMap<>();
  private long windowBegan;

  /** Of answers that changes to a table had put out, in a window. */
  private static final class Reloads {
    private int all;
    private int same;
    private long needlessNanos;
    private final Map<List<String>, Integer> columns = new HashMap<>();

    void add(boolean isSame, long nanos, Supplier<List<String>> toldApartBy) {
      all++;
      if (isSame) {
        needlessNanos += nanos;
        if (same++ < MOST_EVIDENCE) {
          columns.merge(toldApartBy.get(), 1, Integer::sum);
        }
      }
    }

    /** What most of them could have been spared by. */
    List<String> toldApartBy() {
      return columns.entrySet().stream()
          .max(Map.Entry.comparingByValue())
          .map(Map.Entry::getKey)
          .orElse(List.of());
    }

    boolean areAStorm() {
      return same >= LEAST_NEEDLESS && 2 * same >= all;
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
    if (time.nanos() - windowBegan >= WINDOW_NANOS) {
      tellOfStorms();
      byTable.clear();
      windowBegan = time.nanos();
    }
    before.footprint().dataLanes().stream()
        .filter(lane -> before.isOutBy(board, lane))
        .map(Lane::table)
        .distinct()
        .forEach(
            table ->
                byTable
                    .computeIfAbsent(table.name(), name -> new Reloads())
                    .add(same, nanos, () -> request.toldApartBy(table)));
  }

  private void tellOfStorms() {
    byTable.forEach(
        (table, reloads) -> {
          if (reloads.areAStorm() && isToBeTold(table)) {
            LOG.warn(
                "Needless invalidations: shelf={} table={} loaded_again={} same_as_before={}"
                    + " needless_ms={} within five minutes or little more: changes put out answers"
                    + " that do not show them. {} Told once an hour for each table.",
                shelf,
                table,
                reloads.all,
                reloads.same,
                TimeUnit.NANOSECONDS.toMillis(reloads.needlessNanos),
                advice(table, reloads.toldApartBy()));
          }
        });
  }

  private static String advice(String table, List<String> columns) {
    String wanted = table + ":" + String.join(",", columns);
    if (columns.isEmpty()) {
      return "Nothing in the statements tells the table's rows apart better; is each of them worth"
          + " keeping?";
    }
    return "The statements would have its rows told apart by "
        + columns
        + (PLAIN.matcher(wanted).matches()
            ? ": shelf feed install " + wanted
            : ": 'shelf feed install'")
        + ".";
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
