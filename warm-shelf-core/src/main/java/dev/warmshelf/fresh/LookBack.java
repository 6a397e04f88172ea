package dev.warmshelf.fresh;

import dev.warmshelf.lane.Change;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * What the board remembers of changes since a tick.
 *
 * @param through the tick up to which that is all
 * @param isComplete false if some may have been forgotten
 * @param touching those that could make a difference, the newest first of each table
 * @param covered up to when everything had been delivered before the first of these was noted: none
 *     of them had committed then. Null if nothing had, or there are none
 */
public record LookBack(
    long through, boolean isComplete, List<Change> touching, @Nullable Watermark covered) {
  /** Whether it is certain that nothing makes a difference. */
  public boolean findsNothing() {
    return isComplete && touching.isEmpty();
  }
}
