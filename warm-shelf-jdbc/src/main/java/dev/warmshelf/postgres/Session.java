package dev.warmshelf.postgres;

import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;

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
  private static final List<String> SETTINGS =
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

  private static final char BETWEEN = '\u001f';

  /**
   * One row; cheap enough to be sent along with each load. It is looked up on the session's own
   * path, so each name stands with its schema.
   */
  public static final String ASK =
      """
      SELECT pg_catalog.array_to_string(
               ARRAY[pg_catalog.current_database()::pg_catalog.text,
                     current_user::pg_catalog.text, %s],
               pg_catalog.chr(31), ''),
             pg_catalog.pg_is_in_recovery(),
             pg_catalog.pg_current_xact_id_if_assigned() IS NOT NULL,
             pg_catalog.current_setting('transaction_isolation')
               OPERATOR(pg_catalog.=) ANY (ARRAY['repeatable read', 'serializable']::pg_catalog.text[]),
             CASE WHEN pg_catalog.pg_my_temp_schema() OPERATOR(pg_catalog.=) 0::pg_catalog.oid
                  THEN false
                  ELSE EXISTS (SELECT FROM pg_catalog.pg_class
                               WHERE relnamespace OPERATOR(pg_catalog.=)
                                     pg_catalog.pg_my_temp_schema()) END
      """
          .formatted(
              SETTINGS.stream()
                  .map(name -> "pg_catalog.current_setting('" + name + "', true)")
                  .collect(Collectors.joining(", ")));

  /** Asks over a connection. */
  public static Session of(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement();
        ResultSet row = statement.executeQuery(ASK)) {
      return read(row);
    }
  }

  /** Whether a name means the same here as in a session of this ambient. */
  public boolean reads(String others) {
    return !hasTemporary && ambient.equals(others);
  }

  /** Reads what {@link #ASK} gives. */
  public static Session read(ResultSet row) throws SQLException {
    row.next();
    return new Session(
        row.getString(1),
        row.getBoolean(2),
        row.getBoolean(3),
        row.getBoolean(4),
        row.getBoolean(5));
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
