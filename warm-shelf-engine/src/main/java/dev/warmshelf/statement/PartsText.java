package dev.warmshelf.statement;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.plan.MendingPlan.Division;
import java.util.Collection;
import java.util.List;
import java.util.Objects;
import java.util.stream.Collectors;
import java.util.stream.IntStream;

/** A query's text, for some parts of its answer alone. */
public final class PartsText {
  private PartsText() {}

  /**
   * The text, with the query's parameters where they were, and one more at its end for the parts:
   * however many they are, it stays the same, and what the database has worked out of it holds.
   *
   * @param query in whatever style its parameters are written
   * @param width how many columns its answer has
   * @param parameter as that style writes one more
   */
  public static String of(String query, int width, Division by, String parameter) {
    String columns =
        IntStream.rangeClosed(1, width).mapToObj(n -> "c" + n).collect(Collectors.joining(", "));
    return "SELECT * FROM (\n%s\n) AS kept (%s) WHERE kept.c%d = ANY (%s)"
        .formatted(query, columns, by.position() + 1, parameter);
  }

  /**
   * The parameter's value.
   *
   * @param texts of the column that divides, each of which {@link ColumnKind#value} knows
   */
  public static List<?> values(ColumnKind kind, Collection<String> texts) {
    return texts.stream().sorted().map(text -> certain(kind, text)).toList();
  }

  private static Object certain(ColumnKind kind, String text) {
    return Objects.requireNonNull(kind.value(text), "no value is certain to be written so");
  }
}
