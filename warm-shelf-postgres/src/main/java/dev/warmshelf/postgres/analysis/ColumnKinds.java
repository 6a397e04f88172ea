package dev.warmshelf.postgres.analysis;

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
   * Strings count only in encodings whose characters are Unicode's, one for one: their beginnings
   * are cut here and there.
   */
  public static final String OF_C =
      """
      (SELECT array_agg(v.v ORDER BY a.attnum, v.n)
       FROM pg_attribute a
            LEFT JOIN pg_collation l ON l.oid = a.attcollation
            CROSS JOIN LATERAL (
              SELECT CASE WHEN a.atttypid IN (%s) THEN 'INTEGER'
                          WHEN a.atttypid IN (%s) AND l.collisdeterministic
                               AND current_setting('server_encoding')
                                 NOT IN ('SQL_ASCII', 'MULE_INTERNAL', 'EUC_JIS_2004') THEN 'TEXT'
                          WHEN a.atttypid IN (%s) THEN 'UUID'
                          WHEN a.atttypid IN (%s) THEN 'DATE'
                          WHEN a.atttypid IN (%s) THEN 'BOOLEAN' END AS kind) k
            CROSS JOIN LATERAL (VALUES (1, a.attname::text), (2, k.kind)) v(n, v)
       WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped AND k.kind IS NOT NULL)
      """
          .formatted(
              oids(ColumnKind.Type.INTEGER),
              oids(ColumnKind.Type.TEXT),
              oids(ColumnKind.Type.UUID),
              oids(ColumnKind.Type.DATE),
              oids(ColumnKind.Type.BOOLEAN));

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
   *
   * <p>In the place of a hidden value it is a digest, or empty where the column has got another
   * type by then: a digest would not show that.
   */
  public static String textOf(ColumnKind kind, String expression) {
    String text = sent(kind, expression);
    if (kind.digest() instanceof ColumnDigest digest) {
      text =
          "CASE WHEN pg_catalog.pg_typeof(%s)::pg_catalog.oid OPERATOR(pg_catalog.=) ANY ('{%s}'"
                  .formatted(expression, oids(kind.type()))
              + "::pg_catalog.oid[]) THEN "
              + ColumnDigest.sql(digest.column(), text)
              + " ELSE '' END";
    }
    return "CASE WHEN " + expression + " IS NOT NULL THEN " + text + " END";
  }

  private static String sent(ColumnKind kind, String expression) {
    return switch (kind.type()) {
      case TEXT ->
          "pg_catalog.left(pg_catalog.concat(" + expression + "), " + ColumnKind.LONGEST_TEXT + ")";
      // As it is sent: its text would be written in the session's own style.
      case DATE -> "pg_catalog.encode(pg_catalog.record_send(ROW(" + expression + ")), 'hex')";
      default -> "pg_catalog.concat(" + expression + ")";
    };
  }

  /** Which types are of a kind, by their oids, which are the same in every PostgreSQL (pg_type). */
  private static String oids(ColumnKind.Type type) {
    return switch (type) {
      case INTEGER -> "20, 21, 23";
      case TEXT -> "25, 1043";
      case UUID -> "2950";
      case DATE -> "1082";
      case BOOLEAN -> "16";
      case UNKNOWN -> "";
    };
  }

  /**
   * The kind of a column whose values are hidden.
   *
   * @param column with its table and schema
   */
  public static ColumnKind hidden(String column, ColumnKind kind) {
    return kind.hiddenBy(new ColumnDigest(column, kind.type()));
  }

  /**
   * A text that {@link #textOf} has made, as {@link ColumnKind} writes it. A day that ISO 8601 has
   * no ten characters for, or an infinite one, is told by what was sent.
   *
   * @return null if it was made of a value of another type than it was made for
   */
  public static @Nullable String told(ColumnKind kind, String text) {
    if (kind.digest() != null) {
      return ColumnDigest.isOne(text) ? text : null;
    }
    return switch (kind.type()) {
      case BOOLEAN -> text.equals("t") ? "true" : text.equals("f") ? "false" : null;
      case DATE ->
          text.startsWith(ColumnDigest.DAY_SENT)
              ? day(text.substring(ColumnDigest.DAY_SENT.length()))
              : null;
      case INTEGER, UUID -> kind.value(text) == null ? null : text;
      case TEXT -> text;
      case UNKNOWN -> null;
    };
  }

  private static String day(String sent) {
    int sinceFirst = Integer.parseUnsignedInt(sent, 16);
    boolean finite = sinceFirst != Integer.MAX_VALUE && sinceFirst != Integer.MIN_VALUE;
    LocalDate day = finite ? ColumnDigest.FIRST_DAY.plusDays(sinceFirst) : null;
    String text = day == null ? null : day.toString();
    return text != null && ColumnKind.DATE.value(text) != null ? text : "day " + sent;
  }
}
