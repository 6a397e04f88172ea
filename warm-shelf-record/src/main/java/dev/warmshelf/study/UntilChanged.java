package dev.warmshelf.study;

import dev.warmshelf.study.ChangeForecast.Ends;
import dev.warmshelf.study.Share.Sums;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/** What answers that are kept until something changes would give. For one thread. */
final class UntilChanged {
  private final Changes changes;
  private final Map<Long, Filled> filled = new HashMap<>();

  /** By key, what its answer stands on that was loaded last, where that is not all its tables. */
  private final Map<Long, List<Long>> standing = new HashMap<>();

  private final Map<Long, Long> lastOfLane = new HashMap<>();
  private final Map<Ends, Sums> hits = new EnumMap<>(Ends.class);
  private final Map<Ends, Sums> saved = new EnumMap<>(Ends.class);

  /** What three shelves hold of a key. */
  private static final class Filled {
    /** When the load began that filled the shelf whose answers each change of a table puts out. */
    private long byTables;

    /** The same where only changes of rows do that they stand on. */
    private long byRows;

    /** On what they stand; null where that is all its tables. */
    private @Nullable List<Long> lanes;

    /** Of the last answer. */
    private long fingerprint;
  }

  UntilChanged(Changes changes) {
    this.changes = changes;
  }

  void forgetAllBut(Sample<?> sample) {
    filled.keySet().removeIf(each -> !sample.isIn(each));
    standing.keySet().removeIf(each -> !sample.isIn(each));
  }

  void changed(Set<String> lanes, long atMicros) {
    lanes.forEach(lane -> lastOfLane.put(Long.parseUnsignedLong(lane, 16), atMicros));
  }

  void standsOn(long key, Set<String> lanes) {
    standing.put(key, lanes.stream().map(lane -> Long.parseUnsignedLong(lane, 16)).toList());
  }

  void ask(Asked asked, double rate) {
    Filled held = filled.get(asked.key());
    boolean first = held == null;
    if (held == null) {
      held = new Filled();
      filled.put(asked.key(), held);
    }
    long began = asked.atMicros() - asked.loadMicros();
    boolean tablesHold = !first && changes.lastOf(asked.statement()) < held.byTables;
    boolean rowsHold = !first && lastOfRows(asked.statement(), held.lanes) < held.byRows;
    count(Ends.TABLE_CHANGED, tablesHold, asked, rate);
    count(Ends.ROWS_CHANGED, rowsHold, asked, rate);
    count(Ends.ANSWER_CHANGED, !first && held.fingerprint == asked.fingerprint(), asked, rate);
    if (!tablesHold) {
      held.byTables = began;
    }
    if (!rowsHold) {
      held.byRows = began;
      held.lanes = standing.get(asked.key());
    }
    held.fingerprint = asked.fingerprint();
  }

  /** When something changed last that an answer stands on. */
  private long lastOfRows(int statement, @Nullable List<Long> lanes) {
    if (lanes == null) {
      return changes.lastOf(statement);
    }
    long last = changes.lastOfAll();
    for (long lane : lanes) {
      last = Math.max(last, lastOfLane.getOrDefault(lane, Long.MIN_VALUE));
    }
    return last;
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
      boolean isKnown =
          switch (ends) {
            case TABLE_CHANGED -> changes.areTold();
            case ROWS_CHANGED -> changes.areTold() && !standing.isEmpty();
            case ANSWER_CHANGED -> true;
          };
      if (isKnown) {
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
