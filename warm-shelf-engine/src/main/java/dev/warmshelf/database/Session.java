package dev.warmshelf.database;

import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;

/**
 * What in a session can change an answer though the statement stays the same, and whether others
 * may see what it sees.
 *
 * @param ambient database, role and the settings that can show in an answer, in one line
 * @param replica whether the server is a standby
 * @param hasWritten whether the transaction has written, so that it may see what others do not
 * @param keepsSnapshot whether all statements of a transaction see what its first one saw
 * @param hasTemporary whether it has temporary tables or views, which may stand before others of
 *     the same name
 */
public record Session(
    String ambient,
    boolean replica,
    boolean hasWritten,
    boolean keepsSnapshot,
    boolean hasTemporary) {
  /**
   * Of the client's connection defaults (manual, 20.11), the compatibility options (20.13) and what
   * else the manual says changes a statement's meaning or how a value is written. Settings of the
   * planner change only what no ORDER BY decides.
   */
  public static final List<String> SETTINGS =
      List.of(
          "search_path",
          "TimeZone",
          "timezone_abbreviations",
          "DateStyle",
          "IntervalStyle",
          "extra_float_digits",
          "bytea_output",
          "lc_monetary",
          "lc_numeric",
          "lc_time",
          "default_text_search_config",
          "array_nulls",
          "xmlbinary",
          "xmloption",
          "quote_all_identifiers",
          "standard_conforming_strings",
          "backslash_quote",
          "transform_null_equals",
          "gin_fuzzy_search_limit",
          "row_security",
          "client_encoding");

  /** Between two parts of what sessions are like. */
  public static final char BETWEEN = '\u001f';

  /** Whether a name means the same here as in a session of this ambient. */
  public boolean reads(String others) {
    return !hasTemporary && ambient.equals(others);
  }

  /** The database that it is connected to. */
  public String database() {
    return ambient.split(String.valueOf(BETWEEN), -1)[0];
  }

  /** The role that it has now. */
  public String role() {
    return ambient.split(String.valueOf(BETWEEN), -1)[1];
  }

  /** An ambient line for a person to read. */
  public static String inWords(String ambient) {
    String[] values = ambient.split(String.valueOf(BETWEEN), -1);
    List<String> words = new ArrayList<>();
    for (int i = 0; i < values.length; i++) {
      if (!values[i].isEmpty()) {
        words.add(nameOf(i) + " " + values[i]);
      }
    }
    return String.join("; ", words);
  }

  private static String nameOf(int index) {
    return switch (index) {
      case 0 -> "database";
      case 1 -> "role";
      default -> SETTINGS.get(index - 2);
    };
  }

  /** What is not the same in two sessions, in words: each with one value and the other. */
  public static String difference(String ambient, String other) {
    String[] ones = ambient.split(String.valueOf(BETWEEN), -1);
    String[] others = other.split(String.valueOf(BETWEEN), -1);
    List<String> differences = new ArrayList<>();
    for (int i = 0; i < Math.min(ones.length, others.length); i++) {
      if (!ones[i].equals(others[i])) {
        differences.add(nameOf(i) + " '" + ones[i] + "' and '" + others[i] + "'");
      }
    }
    return String.join(", ", differences);
  }

  /**
   * Refuses a standby: what it answers may be older than what the feed has told.
   *
   * @throws SQLException if the server is one
   */
  public void requirePrimary() throws SQLException {
    if (replica) {
      throw new SQLException(
          "The data source leads to a replica, whose answers may lag behind the change feed. Give"
              + " a data source of the primary.");
    }
  }
}
