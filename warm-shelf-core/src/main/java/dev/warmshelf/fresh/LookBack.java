package dev.warmshelf.fresh;

import dev.warmshelf.lane.Change;
import java.util.List;

/**
 * What the board remembers of changes since a tick.
 *
 * @param through the tick up to which that is all
 * @param isComplete false if some may have been forgotten
 * @param touching those that could make a difference, the newest first of each table
 */
public record LookBack(long through, boolean isComplete, List<Change> touching) {
  /** Whether it is certain that nothing makes a difference. */
  public boolean findsNothing() {
    return isComplete && touching.isEmpty();
  }
}
