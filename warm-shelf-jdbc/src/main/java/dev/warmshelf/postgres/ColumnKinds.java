package dev.warmshelf.postgres;

import dev.warmshelf.lane.ColumnKind;
import java.sql.Array;
import java.sql.SQLException;
import java.util.LinkedHashMap;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/** By which of a table's columns its rows can be told apart, as the catalogue has it. */
public final class ColumnKinds {
  /**
   * An array of alternating names and kinds of the table {@code c}'s columns; null if it has none.
   * Types are named by their oids, which are the same in every PostgreSQL (pg_type.dat). Strings
   * count only in encodings whose characters are Unicode's, one for one: their beginnings are cut
   * here and there.
   */
  public static final String OF_C =
      """
      (SELECT array_agg(v.v ORDER BY a.attnum, v.n)
       FROM pg_attribute a
            LEFT JOIN pg_collation l ON l.oid = a.attcollation
            CROSS JOIN LATERAL (
              SELECT CASE WHEN a.atttypid IN (20, 21, 23) THEN 'INTEGER'
                          WHEN a.atttypid IN (25, 1043) AND l.collisdeterministic
                               AND current_setting('server_encoding')
                                 NOT IN ('SQL_ASCII', 'MULE_INTERNAL', 'EUC_JIS_2004') THEN 'TEXT'
                          WHEN a.atttypid = 2950 THEN 'UUID'
                          WHEN a.atttypid = 1082 THEN 'DATE'
                          WHEN a.atttypid = 16 THEN 'BOOLEAN' END AS kind) k
            CROSS JOIN LATERAL (VALUES (1, a.attname::text), (2, k.kind)) v(n, v)
       WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped AND k.kind IS NOT NULL)
      """;

  private ColumnKinds() {}

  /**
   * Reads what {@link #OF_C} gives, in the table's order.
   *
   * @throws SQLException if the database could not be asked
   */
  public static Map<String, ColumnKind> read(@Nullable Array array) throws SQLException {
    Map<String, ColumnKind> columns = new LinkedHashMap<>();
    if (array != null) {
      String[] alternating = (String[]) array.getArray();
      for (int i = 0; i < alternating.length; i += 2) {
        columns.put(alternating[i], ColumnKind.valueOf(alternating[i + 1]));
      }
    }
    return columns;
  }

  /**
   * SQL for a value's text as {@link ColumnKind} writes it. All names stand with their schema, so
   * that no session's search path gives them another meaning.
   */
  public static String textOf(ColumnKind kind, String expression) {
    return switch (kind) {
      case TEXT -> "pg_catalog.left(" + expression + ", " + ColumnKind.LONGEST_TEXT + ")";
      case DATE -> day(expression);
      default -> expression + "::pg_catalog.text";
    };
  }

  /**
   * A day of the years 1 to 9999 as ISO 8601 has it. Of the others, and of the infinite ones, the
   * server's own bytes: to_char() has no word for infinity, and none for years before the first. As
   * a timestamp without a zone, since to_char() would take a day for a moment of the session's.
   */
  private static String day(String expression) {
    return """
        CASE WHEN %1$s OPERATOR(pg_catalog.>=) '0001-01-01'::pg_catalog.date
                  AND %1$s OPERATOR(pg_catalog.<=) '9999-12-31'::pg_catalog.date
             THEN pg_catalog.to_char(%1$s::pg_catalog.timestamp, 'YYYY-MM-DD')
             ELSE 'day ' OPERATOR(pg_catalog.||)
                  pg_catalog.encode(pg_catalog.date_send(%1$s), 'hex') END"""
        .formatted(expression);
  }
}
