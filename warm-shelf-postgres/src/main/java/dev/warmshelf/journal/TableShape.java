package dev.warmshelf.journal;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.postgres.analysis.ColumnKinds;
import dev.warmshelf.postgres.analysis.SqlText;
import java.sql.Array;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/**
 * What a trigger must know of its table.
 *
 * @param tracked the columns by which to tell changes apart, the preferred one first, each with the
 *     kind that the function is written for: a column may get another type one day
 * @param compared by column SQL that is true if it is in {@code n} what it was in {@code o}
 * @param key the columns of the primary key; empty if there is none
 */
record TableShape(Map<String, ColumnKind> tracked, Map<String, String> compared, List<String> key) {
  /** Tables have that many columns seldom; what is not compared counts as changed. */
  private static final int MOST_COMPARED = 100;

  /** Longer values are not compared: that would cost the writer a look at all of them. */
  private static final int LONGEST_COMPARED = 2_000;

  /**
   * Values are compared as they are stored: equality says of some types alone that a value is what
   * it was, to the last digit shown (1.0 equals 1.00), and whose equality it is depends on the type
   * that the column has then ({@link ColumnKinds#textOf}).
   */
  private static final String ASK =
      """
      SELECT a.attname,
             t.typlen = -1
               AND NOT (a.atttypid IN (1042, 1043) AND a.atttypmod BETWEEN 0 AND 500)
               AND a.atttypid <> 1700 AS long,
             a.attnum = ANY (k.indkey) AS key, %s AS kinds
      FROM pg_class c
           JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
           JOIN pg_type t ON t.oid = a.atttypid
           LEFT JOIN pg_collation l ON l.oid = a.attcollation
           LEFT JOIN pg_index k ON k.indrelid = c.oid AND k.indisprimary
      WHERE c.oid = to_regclass(?)
      ORDER BY a.attnum
      """
          .formatted(ColumnKinds.OF_C);

  /** The same with digests in the place of values. */
  TableShape hidden(Lane lane) {
    Map<String, ColumnKind> hidden = new LinkedHashMap<>();
    tracked.forEach(
        (column, kind) ->
            hidden.put(column, TriggerArguments.hidden(lane.written(), column, kind)));
    return new TableShape(hidden, compared, key);
  }

  static TableShape of(Connection connection, FollowedTable followed) throws SQLException {
    Map<String, String> compared = new LinkedHashMap<>();
    List<String> key = new ArrayList<>();
    Array kinds = null;
    try (PreparedStatement statement = connection.prepareStatement(ASK)) {
      statement.setString(1, followed.table());
      try (ResultSet rows = statement.executeQuery()) {
        while (rows.next()) {
          String column = rows.getString(1);
          if (compared.size() < MOST_COMPARED) {
            compared.put(column, alike(column, rows.getBoolean(2)));
          }
          if (rows.getBoolean(3)) {
            key.add(column);
          }
          kinds = rows.getArray(4);
        }
      }
    }
    return new TableShape(tracked(followed, kinds), compared, List.copyOf(key));
  }

  /** Each name with its schema, see {@link TriggerText}. */
  private static String alike(String column, boolean mayBeLong) {
    String alike = "pg_catalog.record_image_eq(ROW(o.%1$s), ROW(n.%1$s))";
    String shortEnough =
        "coalesce(pg_catalog.pg_column_size(n.%1$s), 0) OPERATOR(pg_catalog.<) %2$d AND ";
    return (mayBeLong ? shortEnough + alike : alike)
        .formatted(SqlText.identifier(column), LONGEST_COMPARED);
  }

  private static Map<String, ColumnKind> tracked(FollowedTable followed, @Nullable Array kinds)
      throws SQLException {
    Map<String, ColumnKind> possible = ColumnKinds.read(kinds);
    Map<String, ColumnKind> columns = new LinkedHashMap<>();
    for (String column : followed.columns()) {
      ColumnKind kind = possible.get(column);
      if (kind == null) {
        throw new SQLException(
            "Changes of '"
                + followed.table()
                + "' cannot be tracked by '"
                + column
                + "'; they can by "
                + possible.keySet()
                + ": columns of whole numbers, strings (in a deterministic collation), days, UUIDs"
                + " and booleans.");
      }
      columns.put(column, kind);
    }
    return columns;
  }
}
