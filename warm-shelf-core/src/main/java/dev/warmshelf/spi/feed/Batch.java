package dev.warmshelf.spi.feed;

import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.time.Watermark;
import java.util.List;
import java.util.Optional;

/**
 * What a feed has learned at once. Every statement that begins now sees all of it.
 *
 * @param mark everything that had committed before this moment is in this batch or an earlier one;
 *     empty as long as nobody can say so
 * @param changes in no particular order
 * @param meanings lanes of statements that may mean something else now, as the schema has changed
 * @param clearings what somebody has cleared in all processes
 * @param reset why nothing kept can be relied on any more, in words: the place was lost, or the
 *     schema changed; empty where neither is so
 */
public record Batch(
    Optional<Watermark> mark,
    List<Change> changes,
    List<Lane> meanings,
    List<Clearing> clearings,
    Optional<String> reset) {
  /** Keeps copies of the lists. */
  public Batch {
    changes = List.copyOf(changes);
    meanings = List.copyOf(meanings);
    clearings = List.copyOf(clearings);
  }

  /** All changes up to a moment. */
  public static Batch upTo(Watermark mark, List<Change> changes) {
    return new Batch(Optional.of(mark), changes, List.of(), List.of(), Optional.empty());
  }

  /** Some changes; there may be more that had committed before. */
  public static Batch unfinished(List<Change> changes) {
    return new Batch(Optional.empty(), changes, List.of(), List.of(), Optional.empty());
  }

  /** The same, which also clears what somebody has cleared in all processes. */
  public Batch withClearings(List<Clearing> all) {
    return new Batch(mark, changes, meanings, all, reset);
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
    return new Batch(
        mark,
        changes,
        meanings,
        clearings,
        Optional.of(reset.map(first -> first + "; ").orElse("") + why));
  }
}
