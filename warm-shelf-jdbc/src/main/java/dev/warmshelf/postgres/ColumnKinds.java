package dev.warmshelf.postgres;

import dev.warmshelf.lane.ColumnKind;
import java.sql.Array;
import java.sql.SQLException;
import java.time.LocalDate;
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
   * SQL for a value's text, which {@link #told} reads. Only functions that take a value of any type
   * stand in it, and run nothing but the type's own output: the column may have got a type of
   * somebody's own since, and each cast, operator and function that names a type would be looked up
   * among what he has made for it, and run with the rights of whoever installed this. All names
   * stand with their schema, so that no session's search path gives them another meaning.
   */
  public static String textOf(ColumnKind kind, String expression) {
    String text =
        switch (kind) {
          case TEXT -> "pg_catalog.left(pg_catalog.concat(%1$s), " + ColumnKind.LONGEST_TEXT + ")";
          // As it is sent: its text would be written in the session's own style.
          case DATE -> "pg_catalog.encode(pg_catalog.record_send(ROW(%1$s)), 'hex')";
          default -> "pg_catalog.concat(%1$s)";
        };
    return ("CASE WHEN %1$s IS NOT NULL THEN " + text + " END").formatted(expression);
  }

  /** How a row of one day is sent: one value, of the type 1082, of four bytes. */
  private static final String DAY_SENT = "000000010000043a00000004";

  /**
   * A text that {@link #textOf} has made, as {@link ColumnKind} writes it. A day that ISO 8601 has
   * no ten characters for, or an infinite one, is told by what was sent.
   *
   * @return null if it was made of a value of another type than it was made for
   */
  public static @Nullable String told(ColumnKind kind, String text) {
    return switch (kind) {
      case BOOLEAN -> text.equals("t") ? "true" : text.equals("f") ? "false" : null;
      case DATE -> text.startsWith(DAY_SENT) ? day(text.substring(DAY_SENT.length())) : null;
      case INTEGER, UUID -> kind.value(text) == null ? null : text;
      case TEXT -> text;
      case UNKNOWN -> null;
    };
  }

  private static String day(String sent) {
    int sinceFirst = Integer.parseUnsignedInt(sent, 16);
    boolean finite = sinceFirst != Integer.MAX_VALUE && sinceFirst != Integer.MIN_VALUE;
    LocalDate day = finite ? FIRST_DAY.plusDays(sinceFirst) : null;
    String text = day == null ? null : day.toString();
    return text != null && ColumnKind.DATE.value(text) != null ? text : "day " + sent;
  }

  /** From which the server counts (date.h). */
  private static final LocalDate FIRST_DAY = LocalDate.of(2000, 1, 1);
}
