package dev.warmshelf.measure.survey;

import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.statement.Analysed;
import dev.warmshelf.statement.Analysis.PinValue;
import dev.warmshelf.statement.Analysis.TableRead;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.OptionalDouble;
import java.util.OptionalInt;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * How many different questions a statement can ask: each parameter as many as the column that it is
 * compared with has values.
 *
 * @param most empty if some parameter's values are not bounded by what is known
 * @param guess what is most likely; empty as well if there is nothing to guess by
 */
record Asked(OptionalDouble most, OptionalDouble guess) {
  static Asked of(Analysed analysed, CountedText text, Distinct distinct) {
    Map<Integer, Double> pinned = pinned(analysed, distinct);
    OptionalInt bound = text.bound();
    Set<Integer> lists = text.lists();
    Map<String, CountedText.Beside> besides = text.beside();
    List<String> names = analysed.statement().parameters();
    double most = 1;
    double guess = 1;
    boolean bounded = true;
    boolean guessed = true;
    for (int i = 0; i < names.size(); i++) {
      int number = Integer.parseInt(names.get(i));
      Double values = pinned.get(i);
      if (number > bound.orElse(Integer.MAX_VALUE)) {
        continue; // it stands in the program's text, always the same
      } else if (values != null && !lists.contains(number)) {
        most *= values;
        guess *= values;
        continue;
      }
      bounded = false;
      OptionalDouble beside =
          lists.contains(number)
              ? OptionalDouble.empty()
              : beside(analysed, besides.get(names.get(i)), distinct);
      guessed = guessed && beside.isPresent();
      guess *= beside.orElse(1);
    }
    return new Asked(
        bounded ? OptionalDouble.of(most) : OptionalDouble.empty(),
        guessed ? OptionalDouble.of(guess) : OptionalDouble.empty());
  }

  private static OptionalDouble beside(
      Analysed analysed, CountedText.@Nullable Beside beside, Distinct distinct) {
    if (beside instanceof CountedText.Beside.Limit) {
      return OptionalDouble.of(1); // programs ask for pages of one size
    }
    OptionalDouble most = OptionalDouble.empty();
    if (beside instanceof CountedText.Beside.Column column) {
      for (Map.Entry<Lane, Set<String>> each : analysed.analysis().columns().entrySet()) {
        OptionalDouble values = distinct.of(each.getKey(), column.name());
        if (values.isPresent() && each.getValue().contains(column.name())) {
          most = OptionalDouble.of(Math.max(most.orElse(1), values.getAsDouble()));
        }
      }
    }
    return most;
  }

  /** By parameter, from 0, how many values the column has that it must be equal to. */
  private static Map<Integer, Double> pinned(Analysed analysed, Distinct distinct) {
    Map<Integer, Double> values = new HashMap<>();
    for (TableRead read : analysed.analysis().tables()) {
      read.pins()
          .forEach(
              (column, pins) ->
                  distinct
                      .of(read.table(), column)
                      .ifPresent(
                          most ->
                              parameters(analysed, pins)
                                  .forEach(each -> values.merge(each, most, Math::min))));
    }
    return values;
  }

  private static Set<Integer> parameters(Analysed analysed, List<PinValue> pins) {
    Set<Integer> parameters = new HashSet<>();
    for (PinValue pin : pins) {
      if (pin instanceof PinValue.Bound bound) {
        int place = analysed.text().places().get(bound.number() - 1);
        for (Source source : analysed.statement().plan().places().get(place).sources()) {
          if (source instanceof Source.Parameter parameter) {
            parameters.add(parameter.index());
          }
        }
      }
    }
    return parameters;
  }
}
