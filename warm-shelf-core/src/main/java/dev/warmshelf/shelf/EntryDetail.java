package dev.warmshelf.shelf;

import java.util.List;

/**
 * All that is shown of one entry. Immutable.
 *
 * @param lanes what the answer depends on
 * @param fence the board's tick before its load
 * @param rows its first rows; no columns if they are not shown
 */
public record EntryDetail(EntryView entry, List<LaneView> lanes, long fence, Rows rows) {
  /**
   * A lane that an answer depends on.
   *
   * @param tick the last that may have been a change of it
   * @param changed whether it has changed since the answer was read
   */
  public record LaneView(String name, long tick, boolean changed) {}

  /**
   * Rows as texts.
   *
   * @param columns their names
   * @param rows as many texts each; {@code null} stands for null
   */
  public record Rows(List<String> columns, List<List<String>> rows) {
    /** No columns. */
    public static final Rows NONE = new Rows(List.of(), List.of());
  }
}
