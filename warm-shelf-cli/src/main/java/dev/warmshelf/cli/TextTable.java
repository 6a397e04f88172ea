package dev.warmshelf.cli;

import java.util.ArrayList;
import java.util.List;

/** A table of text: a first column flush left, the others flush right, a rule under the head. */
final class TextTable {
  private static final String GAP = "   ";

  private final List<List<String>> rows = new ArrayList<>();

  TextTable(List<String> head) {
    rows.add(head);
  }

  void row(List<String> cells) {
    rows.add(cells);
  }

  /** One line per row, each indented. */
  List<String> lines(String indent) {
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
        line.append(i == 0 ? row.get(i) + pad : GAP + pad + row.get(i));
      }
      lines.add(line.toString().stripTrailing());
      if (lines.size() == 1) {
        int width = GAP.length() * (columns - 1);
        for (int w : widths) {
          width += w;
        }
        lines.add(indent + "─".repeat(width));
      }
    }
    return lines;
  }
}
