package dev.warmshelf.measure.text;

import java.util.ArrayList;
import java.util.List;

/** A table of text: a first column flush left, the others to one side, a rule under the head. */
public final class TextTable {
  private static final int USUAL_GAP = 3;

  private final List<List<String>> rows = new ArrayList<>();
  private final Side side;
  private final String gap;

  /** Where cells begin: numbers right, words left. */
  public enum Side {
    LEFT,
    RIGHT
  }

  /** A table whose first column is words and whose others are figures. */
  public TextTable(List<String> head) {
    this(head, Side.RIGHT);
  }

  /**
   * @param side of the columns after the first
   */
  public TextTable(List<String> head, Side side) {
    this(head, side, USUAL_GAP);
  }

  /**
   * @param gap spaces between columns
   */
  public TextTable(List<String> head, Side side, int gap) {
    this.side = side;
    this.gap = " ".repeat(gap);
    rows.add(head);
  }

  /** Adds a row of as many cells as the head has; each stays in its line, whatever is in it. */
  public void row(List<String> cells) {
    rows.add(cells.stream().map(Controls::inOneLine).toList());
  }

  /** One line per row, each indented. */
  public List<String> lines(String indent) {
    int columns = rows.get(0).size();
    int[] widths = new int[columns];
    for (List<String> row : rows) {
      for (int i = 0; i < columns; i++) {
        widths[i] = Math.max(widths[i], row.get(i).length());
      }
    }
    List<String> lines = new ArrayList<>();
    for (List<String> row : rows) {
      StringBuilder line = new StringBuilder(indent);
      for (int i = 0; i < columns; i++) {
        String pad = " ".repeat(widths[i] - row.get(i).length());
        boolean left = i == 0 || side == Side.LEFT;
        line.append(i == 0 ? "" : gap).append(left ? row.get(i) + pad : pad + row.get(i));
      }
      lines.add(line.toString().stripTrailing());
      if (lines.size() == 1) {
        int width = gap.length() * (columns - 1);
        for (int w : widths) {
          width += w;
        }
        lines.add(indent + "─".repeat(width));
      }
    }
    return lines;
  }
}
