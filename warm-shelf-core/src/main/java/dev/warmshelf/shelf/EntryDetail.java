package dev.warmshelf.shelf;

import dev.warmshelf.store.Content;
import java.util.List;

/**
 * All that is shown of one entry. Immutable.
 *
 * @param lanes what the answer depends on
 * @param fence the board's tick before its load
 * @param rows its first rows; no columns if they are not shown
 */
public record EntryDetail(EntryView entry, List<LaneView> lanes, long fence, Content.Rows rows) {
  /**
   * A lane that an answer depends on.
   *
   * @param tick the last that may have been a change of it
   * @param changed whether it has changed since the answer was read
   */
  public record LaneView(String name, long tick, boolean changed) {}
}
