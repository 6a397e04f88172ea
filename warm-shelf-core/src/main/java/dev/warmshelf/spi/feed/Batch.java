package dev.warmshelf.spi.feed;

import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * What a feed has learned at once. Every statement that begins now sees all of it.
 *
 * @param mark everything that had committed before this moment is in this batch or an earlier one;
 *     null as long as nobody can say so
 * @param changes in no particular order
 * @param meanings lanes of statements that may mean something else now, as the schema has changed
 * @param clearings what somebody has cleared in all processes
 * @param reset why nothing kept can be relied on any more, in words: the place was lost, or the
 *     schema changed; null where neither is so
 */
public record Batch(
    @Nullable Watermark mark,
    List<Change> changes,
    List<Lane> meanings,
    List<Clearing> clearings,
    @Nullable String reset) {
  /** Keeps copies of the lists. */
  public Batch {
    changes = List.copyOf(changes);
    meanings = List.copyOf(meanings);
    clearings = List.copyOf(clearings);
  }

  /** A batch of changes alone. */
  public Batch(@Nullable Watermark mark, List<Change> changes, @Nullable String reset) {
    this(mark, changes, List.of(), List.of(), reset);
  }

  /** The same, which also says that statements may mean something else. */
  public Batch withMeanings(List<Lane> changed) {
    return new Batch(mark, changes, changed, clearings, reset);
  }

  /** The same with other changes. */
  public Batch withChanges(List<Change> others) {
    return new Batch(mark, others, meanings, clearings, reset);
  }

  /** The same, which also says that nothing kept can be relied on any more. */
  public Batch withReset(String why) {
    return new Batch(mark, changes, meanings, clearings, reset == null ? why : reset + "; " + why);
  }
}
