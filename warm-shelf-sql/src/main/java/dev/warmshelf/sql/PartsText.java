package dev.warmshelf.sql;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.MendingPlan.Division;
import java.util.Collection;
import java.util.Map;
import java.util.stream.Collectors;
import java.util.stream.IntStream;

/** A query's text, for some parts of its answer alone. */
public final class PartsText {
  /** As what values' texts are read. */
  private static final Map<ColumnKind, String> TYPES =
      Map.of(
          ColumnKind.INTEGER, "int8",
          ColumnKind.TEXT, "text",
          ColumnKind.UUID, "uuid",
          ColumnKind.DATE, "date",
          ColumnKind.BOOLEAN, "bool");

  private PartsText() {}

  /**
   * The text, with the query's parameters where they were. The parts stand in it as one constant,
   * so that however many they are, the database counts it as one statement.
   *
   * @param query in whatever style its parameters are written
   * @param width how many columns its answer has
   * @param parts the texts of the column that divides
   */
  public static String of(String query, int width, Division by, Collection<String> parts) {
    String columns =
        IntStream.rangeClosed(1, width).mapToObj(n -> "c" + n).collect(Collectors.joining(", "));
    return "SELECT * FROM (\n%s\n) AS kept (%s) WHERE %s"
        .formatted(query, columns, isOneOf("kept.c" + (by.position() + 1), by.kind(), parts));
  }

  /** A condition, the values in it as one constant. */
  static String isOneOf(String column, ColumnKind kind, Collection<String> texts) {
    String array =
        texts.stream()
            .map(text -> '"' + text.replace("\\", "\\\\").replace("\"", "\\\"") + '"')
            .collect(Collectors.joining(",", "{", "}"));
    String literal = "E'" + array.replace("\\", "\\\\").replace("'", "''") + "'";
    return "%s = ANY (%s::pg_catalog.%s[])".formatted(column, literal, TYPES.get(kind));
  }
}
