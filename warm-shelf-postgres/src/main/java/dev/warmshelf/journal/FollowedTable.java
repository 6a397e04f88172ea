package dev.warmshelf.journal;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.TreeSet;

/**
 * A table to follow, and the columns by whose values its changes are told apart. Written {@code
 * booking:sailing_id,agent_id}, with double quotes around names that SQL would quote.
 *
 * @param table as SQL writes it
 * @param columns as the catalogue spells them, the preferred one first
 */
record FollowedTable(String table, List<String> columns) {
  /** Keeps a copy of the list. */
  FollowedTable {
    columns = List.copyOf(columns);
  }

  /**
   * Reads the written form.
   *
   * @throws IllegalArgumentException if it is none
   */
  static FollowedTable parse(String text) {
    List<String> parts = split(text, ':');
    if (parts.size() > 2 || parts.get(0).isBlank()) {
      throw new IllegalArgumentException(
          "'" + text + "' names no table; expected TABLE or TABLE:COLUMN,COLUMN.");
    }
    List<String> columns = new ArrayList<>();
    if (parts.size() == 2) {
      for (String column : split(parts.get(1), ',')) {
        if (column.isBlank()) {
          throw new IllegalArgumentException("'" + text + "' has a column without a name.");
        }
        columns.add(folded(column.strip()));
      }
    }
    Set<String> distinct = new TreeSet<>(columns);
    if (distinct.size() != columns.size()) {
      throw new IllegalArgumentException("'" + text + "' names a column twice.");
    }
    return new FollowedTable(parts.get(0).strip(), columns);
  }

  private static String folded(String name) {
    return name.startsWith("\"") && name.endsWith("\"") && name.length() > 1
        ? name.substring(1, name.length() - 1).replace("\"\"", "\"")
        : name.toLowerCase(java.util.Locale.ROOT);
  }

  /** Splits where no double quote is open. */
  private static List<String> split(String text, char at) {
    List<String> parts = new ArrayList<>();
    boolean quoted = false;
    int start = 0;
    for (int i = 0; i < text.length(); i++) {
      char c = text.charAt(i);
      quoted ^= c == '"';
      if (c == at && !quoted) {
        parts.add(text.substring(start, i));
        start = i + 1;
      }
    }
    parts.add(text.substring(start));
    return parts;
  }
}
