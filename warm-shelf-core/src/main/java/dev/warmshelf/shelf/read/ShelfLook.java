package dev.warmshelf.shelf.read;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.EntryDetail;
import dev.warmshelf.shelf.EntryDetail.LaneView;
import dev.warmshelf.shelf.EntryPage;
import dev.warmshelf.shelf.EntryQuery;
import dev.warmshelf.shelf.EntryQuery.Order;
import dev.warmshelf.shelf.EntryView;
import dev.warmshelf.shelf.Shown;
import dev.warmshelf.store.Content;
import dev.warmshelf.store.Entry;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.PriorityQueue;
import java.util.function.Predicate;
import java.util.function.ToLongFunction;
import org.jspecify.annotations.Nullable;

/** Looks at what a shelf holds, for somebody outside. Holds no more than it shows. */
final class ShelfLook {
  private static final int MOST_ROWS = 20;

  private final ShelfContents contents;
  private final Board board;
  private final Shown shown;
  private final long now;

  /** Of the forms that were met. */
  private final Map<KeyShape, Boolean> wanted = new HashMap<>();

  ShelfLook(ShelfContents contents, Board board, Shown shown, long now) {
    this.contents = contents;
    this.board = board;
    this.shown = shown;
    this.now = now;
  }

  EntryPage page(EntryQuery asked) {
    ToLongFunction<Entry> rank = rank(asked.order());
    PriorityQueue<Ranked> first = new PriorityQueue<>(Comparator.comparingLong(Ranked::rank));
    long[] all = {0, 0};
    Predicate<Entry> fits = fits(asked.form(), asked.table());
    contents.forEach(
        entry -> {
          if (fits.test(entry)) {
            all[0]++;
            all[1] += entry.bytes();
            first.add(new Ranked(rank.applyAsLong(entry), entry));
            if (first.size() > asked.most()) {
              first.remove();
            }
          }
        });
    List<EntryView> views = new ArrayList<>();
    first.stream()
        .sorted(Comparator.comparingLong(Ranked::rank).reversed())
        .forEach(each -> views.add(view(each.entry())));
    return new EntryPage(all[0], all[1], List.copyOf(views));
  }

  private record Ranked(long rank, Entry entry) {}

  private ToLongFunction<Entry> rank(Order order) {
    return switch (order) {
      case SAVED -> entry -> entry.uses() * entry.loadNanos();
      case USES -> Entry::uses;
      case BYTES -> Entry::bytes;
      case AGE -> entry -> now - entry.filledNanos();
    };
  }

  private Predicate<Entry> fits(String form, String table) {
    return entry ->
        (form.isEmpty() || isOf(entry, form)) && (table.isEmpty() || dependsOn(entry, table));
  }

  /** Whether it is of a form whose digest begins so. */
  boolean isOf(Entry entry, String form) {
    return wanted.computeIfAbsent(entry.key().form(), shape -> shape.formDigest().startsWith(form));
  }

  private static boolean dependsOn(Entry entry, String table) {
    return entry.footprint().dataLanes().stream()
        .anyMatch(lane -> lane.table().tableNames().contains(table));
  }

  /** The entry whose key's digest begins so; null if there is none. Looks at every entry. */
  @Nullable Entry find(String digest) {
    List<Entry> found = new ArrayList<>();
    contents.forEach(
        entry -> {
          if (entry.key().digest().startsWith(digest)) {
            found.add(entry);
          }
        });
    return found.isEmpty() ? null : found.get(0);
  }

  EntryDetail detail(Entry entry) {
    List<LaneView> lanes =
        entry.footprint().lanes().stream()
            .map(lane -> new LaneView(lane.name(), board.tickOf(lane), entry.isOutBy(board, lane)))
            .toList();
    EntryDetail.Rows rows =
        shown == Shown.ROWS && entry.value() instanceof Content content
            ? content.firstRows(MOST_ROWS)
            : EntryDetail.Rows.NONE;
    return new EntryDetail(view(entry), lanes, entry.fence(), rows);
  }

  private EntryView view(Entry entry) {
    KeyShape form = entry.key().form();
    int rows = entry.value() instanceof Content content ? content.rows() : -1;
    return new EntryView(
        entry.key().digest(),
        form.formDigest(),
        form.normalForm(),
        shown == Shown.DIGESTS ? List.of() : entry.key().valuesInWords(),
        new EntryView.Size(rows, entry.bytes()),
        new EntryView.Use(entry.uses(), Math.max(0, now - entry.usedAtNanos()), entry.loadNanos()),
        new EntryView.Standing(
            now - entry.filledNanos(), entry.remainingNanos(now), whyNot(entry), entry.loadedBy()));
  }

  private String whyNot(Entry entry) {
    if (entry.isExpired(now)) {
      return "expired";
    } else if (contents.isFresh(entry)) {
      return "";
    }
    if (!board.isFresh(Footprint.NOTHING, entry.fence())) {
      return "everything was invalidated";
    }
    return entry.footprint().lanes().stream()
        .filter(lane -> entry.isOutBy(board, lane))
        .map(Lane::name)
        .findFirst()
        .map(name -> name + " has changed")
        .orElse("the shelf was cleared");
  }
}
