package dev.warmshelf.fresh;

import dev.warmshelf.lane.Change;
import dev.warmshelf.time.Watermark;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * What the board remembers of changes since a tick.
 *
 * @param through the tick up to which that is all
 * @param isComplete false if some may have been forgotten
 * @param touching those that could make a difference each by itself, to the answer as it stands,
 *     the newest first of each table: if there are none, or none does after all, it holds
 * @param sinceTouched if there are any, all changes that could make a difference to what the answer
 *     has become: it is not known which came after the first that touched it
 * @param covered up to when everything had been delivered before the first of those touching was
 *     noted: none of them had committed then. Null if nothing had, or there are none
 */
public record LookBack(
    long through,
    boolean isComplete,
    List<Change> touching,
    List<Change> sinceTouched,
    @Nullable Watermark covered) {
  /** Whether it is certain that nothing makes a difference. */
  public boolean findsNothing() {
    return isComplete && touching.isEmpty();
  }
}
