package dev.warmshelf.measure.survey;

import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.plan.FootprintPlan.Reach;
import dev.warmshelf.statement.Analysed;
import dev.warmshelf.statement.Analysis.TableRead;
import dev.warmshelf.statement.Analysis.Tie;
import java.util.List;
import java.util.OptionalDouble;

/**
 * Which part of a table's rows belong to one answer.
 *
 * @param part from 0 to 1; 1 as well where nobody knows how many values a column has
 * @param inWords which rows
 */
record Reached(double part, String inWords) {
  private static final Reached ALL = new Reached(1, "all rows");

  /**
   * @param rows of an answer, on the average
   */
  static Reached of(
      Reach reach, Analysed analysed, CountedText text, double rows, Distinct distinct) {
    if (reach instanceof Reach.Groups groups) {
      if (groups.values().stream().anyMatch(each -> isList(each, analysed, text))) {
        return new Reached(1, "rows of a list of values of " + groups.column());
      }
      int values = groups.values().size();
      return new Reached(
          part(values, distinct.of(groups.table(), groups.column())),
          values == 1
              ? "rows of one " + groups.column()
              : "rows of " + values + " values of " + groups.column());
    } else if (reach instanceof Reach.Told told) {
      return new Reached(
          part(rows, distinct.of(told.table(), told.column())),
          "rows whose " + told.column() + " the answer shows");
    }
    return tied(reach, analysed, distinct);
  }

  private static boolean isList(Source source, Analysed analysed, CountedText text) {
    return source instanceof Source.Parameter parameter
        && text.lists()
            .contains(Integer.parseInt(analysed.statement().parameters().get(parameter.index())));
  }

  /** What rosters tell: which rows go with rows of other tables that count. */
  private static Reached tied(Reach reach, Analysed analysed, Distinct distinct) {
    Reached most = null;
    for (TableRead read : analysed.analysis().tables()) {
      if (read.table().equals(reach.table())) {
        Reached one = tied(read.ties(), distinct);
        most = most == null || one.part > most.part ? one : most;
      }
    }
    return most == null ? ALL : most;
  }

  private static Reached tied(List<Tie> ties, Distinct distinct) {
    Reached least = ALL;
    for (Tie tie : ties) {
      Reached further = tied(tie.to().ties(), distinct);
      if (further.part < least.part) {
        least = further;
      }
      for (String column : tie.to().pins().keySet()) {
        double part =
            part(tie.to().pins().get(column).size(), distinct.of(tie.to().table(), column));
        if (part < least.part) {
          least =
              new Reached(
                  part, "rows that go with one " + column + " of " + tie.to().table().name());
        }
      }
    }
    return least;
  }

  private static double part(double values, OptionalDouble distinct) {
    return distinct.isEmpty() ? 1 : Math.min(1, values / distinct.getAsDouble());
  }
}
