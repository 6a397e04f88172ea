package dev.warmshelf.study;

import dev.warmshelf.study.ChangeForecast.Ends;
import dev.warmshelf.study.Share.Sums;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.List;
import java.util.Map;

/** What answers that are kept until something changes would give. For one thread. */
final class UntilChanged {
  private final Changes changes;
  private final Map<Long, Filled> filled = new HashMap<>();
  private final Map<Ends, Sums> hits = new EnumMap<>(Ends.class);
  private final Map<Ends, Sums> saved = new EnumMap<>(Ends.class);

  /**
   * @param beganMicros when the load began that would have filled a shelf
   * @param fingerprint of the last answer
   */
  private record Filled(long beganMicros, long fingerprint) {}

  UntilChanged(Changes changes) {
    this.changes = changes;
  }

  void forgetAllBut(Sample<?> sample) {
    filled.keySet().removeIf(each -> !sample.isIn(each));
  }

  void ask(Asked asked, double rate) {
    Filled last = filled.get(asked.key());
    long began = asked.atMicros() - asked.loadMicros();
    if (last != null && changes.lastOf(asked.statement()) < last.beganMicros()) {
      began = last.beganMicros();
      count(Ends.TABLE_CHANGED, true, asked, rate);
    } else {
      count(Ends.TABLE_CHANGED, false, asked, rate);
    }
    boolean same = last != null && last.fingerprint() == asked.fingerprint();
    count(Ends.ANSWER_CHANGED, same, asked, rate);
    filled.put(asked.key(), new Filled(began, asked.fingerprint()));
  }

  private void count(Ends ends, boolean hit, Asked asked, double rate) {
    sums(hits, ends).add(asked.key(), hit ? 1 / rate : 0, 1 / rate);
    sums(saved, ends)
        .add(asked.key(), hit ? asked.loadMicros() / rate : 0, asked.loadMicros() / rate);
  }

  private static Sums sums(Map<Ends, Sums> all, Ends ends) {
    return all.computeIfAbsent(ends, none -> new Sums());
  }

  /** Where no changes are told, nobody knows what each of them would put out. */
  List<ChangeForecast> forecasts(double rate, double questions, double micros) {
    List<ChangeForecast> all = new ArrayList<>();
    for (Ends ends : Ends.values()) {
      if (ends == Ends.ANSWER_CHANGED || changes.areTold()) {
        all.add(
            new ChangeForecast(
                ends,
                sums(hits, ends).share(rate, questions),
                sums(saved, ends).share(rate, micros)));
      }
    }
    return all;
  }
}
