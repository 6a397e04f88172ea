package dev.warmshelf.sql;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.ProbePlan.Condition;
import dev.warmshelf.lane.ProbePlan.Further;
import dev.warmshelf.lane.ProbePlan.Rows;
import dev.warmshelf.lane.ProbePlan.Tied;
import java.time.LocalDate;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.function.Function;
import java.util.stream.Collectors;

/** The texts of what is asked to find out whether changed rows are tied to those that count. */
public final class TiedText {
  /** A roster with more rows than this is not kept. */
  public static final int LONGEST_ROSTER = 1_000;

  private TiedText() {}

  /**
   * A roster's text.
   *
   * @param text a query with named parameters, of one column; it gives one row more than {@link
   *     #LONGEST_ROSTER} if there are more
   * @param values of the parameters, a list each
   */
  public record Roster(String text, Map<String, List<?>> values) {}

  /** The roster, in a text that is the same whatever is tied to it. */
  public static Roster roster(Tied tied) {
    Map<String, List<?>> values = new LinkedHashMap<>();
    String from =
        from(
            tied.roster(),
            1,
            is -> {
              String parameter = "v" + values.size();
              values.put(parameter, valuesOf(is));
              return " = ANY (:" + parameter + ")";
            });
    String text =
        "SELECT "
            + column("t1", tied.tied().column())
            + " AS tied "
            + from
            + " LIMIT "
            + (LONGEST_ROSTER + 1);
    return new Roster(text, Map.copyOf(values));
  }

  /** The probe: one row that says whether a row is tied; values stand in it as constants. */
  public static String probe(Tied tied) {
    Function<Condition, String> constant = is -> PartsText.isOneOf("", is.kind(), is.texts());
    return "SELECT EXISTS (SELECT "
        + from(tied.roster(), 1, constant)
        + " AND "
        + column("t1", tied.tied().column())
        + constant.apply(tied.tied())
        + ") AS tied";
  }

  /**
   * @param number of the table in the chain, from 1
   * @param isOneOf what follows a column to say that it has one of some values
   */
  private static String from(Rows rows, int number, Function<Condition, String> isOneOf) {
    String alias = "t" + number;
    String conditions =
        rows.conditions().stream()
            .map(is -> column(alias, is.column()) + isOneOf.apply(is))
            .collect(Collectors.joining(" AND "));
    Further further = rows.further();
    if (further != null) {
      String next = "t" + (number + 1);
      conditions +=
          (conditions.isEmpty() ? "" : " AND ")
              + "EXISTS (SELECT "
              + from(further.rows(), number + 1, isOneOf)
              + " AND "
              + column(next, further.its())
              + " = "
              + column(alias, further.own())
              + ")";
    }
    return "FROM " + rows.table().written() + " AS " + alias + " WHERE " + conditions;
  }

  private static String column(String alias, String name) {
    return alias + ".\"" + name.replace("\"", "\"\"") + '"';
  }

  private static List<?> valuesOf(Condition is) {
    return is.texts().stream().sorted().map(text -> value(is.kind(), text)).toList();
  }

  private static Object value(ColumnKind kind, String text) {
    return switch (kind) {
      case INTEGER -> Long.valueOf(text);
      case UUID -> UUID.fromString(text);
      case DATE -> LocalDate.parse(text);
      case BOOLEAN -> Boolean.valueOf(text);
      case TEXT, UNKNOWN -> text;
    };
  }
}
