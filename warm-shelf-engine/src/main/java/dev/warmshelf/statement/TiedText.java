package dev.warmshelf.statement;

import dev.warmshelf.plan.ProbePlan.Condition;
import dev.warmshelf.plan.ProbePlan.Further;
import dev.warmshelf.plan.ProbePlan.Rows;
import dev.warmshelf.plan.ProbePlan.Tied;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/** The texts of what is asked to find out whether changed rows are tied to those that count. */
public final class TiedText {
  /** A roster with more rows than this is not kept. */
  public static final int LONGEST_ROSTER = 1_000;

  private TiedText() {}

  /**
   * What is asked.
   *
   * @param text a query with named parameters, of one column
   * @param values of the parameters, a list each
   */
  public record Asked(String text, Map<String, List<?>> values) {
    /** The values in the order of some parameters. */
    public @Nullable Object[] inOrder(List<String> parameters) {
      return parameters.stream().map(values::get).toArray();
    }
  }

  /**
   * The roster, in a text that is the same whatever is tied to it. It gives one row more than
   * {@link #LONGEST_ROSTER} if there are more.
   */
  public static Asked roster(Tied tied) {
    Map<String, List<?>> values = new LinkedHashMap<>();
    String from = from(tied.roster(), 1, values);
    return new Asked(
        "SELECT %s AS tied %s LIMIT %d"
            .formatted(column("t1", tied.tied().column()), from, LONGEST_ROSTER + 1),
        Map.copyOf(values));
  }

  /** The probe: one row that says whether a row is tied. */
  public static Asked probe(Tied tied) {
    Map<String, List<?>> values = new LinkedHashMap<>();
    String from = from(tied.roster(), 1, values);
    return new Asked(
        "SELECT EXISTS (SELECT %s AND %s) AS tied".formatted(from, is("t1", tied.tied(), values)),
        Map.copyOf(values));
  }

  /**
   * @param number of the table in the chain, from 1
   * @param values of the parameters so far; more are put in
   */
  private static String from(Rows rows, int number, Map<String, List<?>> values) {
    String alias = "t" + number;
    List<String> conditions = new ArrayList<>();
    rows.conditions().forEach(condition -> conditions.add(is(alias, condition, values)));
    Further further = rows.further();
    if (further != null) {
      String next = "t" + (number + 1);
      conditions.add(
          "EXISTS (SELECT %s AND %s = %s)"
              .formatted(
                  from(further.rows(), number + 1, values),
                  column(next, further.its()),
                  column(alias, further.own())));
    }
    return "FROM %s AS %s WHERE %s"
        .formatted(rows.table().written(), alias, String.join(" AND ", conditions));
  }

  private static String is(String alias, Condition condition, Map<String, List<?>> values) {
    String parameter = "v" + values.size();
    values.put(parameter, PartsText.values(condition.kind(), condition.texts()));
    return column(alias, condition.column()) + " = ANY (:" + parameter + ")";
  }

  private static String column(String alias, String name) {
    return alias + ".\"" + name.replace("\"", "\"\"") + '"';
  }
}
