package dev.warmshelf.measure.survey;

import dev.warmshelf.lane.Lane;
import dev.warmshelf.measure.database.DatabaseWork.Done;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/** How often tables changed between two readings. */
final class Writes {
  private final Statistics before;
  private final Statistics now;
  private final double seconds;
  private final Map<String, List<Seen>> byName = new HashMap<>();

  /** A statement that was seen to write. */
  private record Seen(CountedText.Written written, Done work) {}

  /**
   * How often something changed, in a second.
   *
   * @param times executions that changed it; rows that none is seen to have changed count each
   */
  record Rate(double times, double rows) {}

  /**
   * @param work what was done meanwhile, by text
   */
  Writes(Statistics before, Statistics now, Map<String, Done> work) {
    this.before = before;
    this.now = now;
    this.seconds = now.since(before).toNanos() / 1e9;
    work.forEach(
        (text, done) ->
            new CountedText(text)
                .written()
                .ifPresent(
                    written ->
                        byName
                            .computeIfAbsent(written.table(), name -> new ArrayList<>())
                            .add(new Seen(written, done))));
  }

  /** How often a table changed; never, of what has no rows of its own, such as a foreign table. */
  Rate of(Lane table) {
    return rate(table, null);
  }

  /** The same of changes that may touch one of these columns, or add or remove a row. */
  Rate of(Lane table, Set<String> columns) {
    return rate(table, columns);
  }

  private Rate rate(Lane table, @Nullable Set<String> columns) {
    Long changed = now.changedSince(before, table);
    double rows = changed == null ? 0 : changed;
    double calls = 0;
    double accounted = 0;
    for (String name : table.tableNames()) {
      for (Seen each : byName.getOrDefault(name, List.of())) {
        Set<String> set = each.written().columns();
        if (columns != null && !set.isEmpty() && Collections.disjoint(set, columns)) {
          rows -= each.work().rows();
        } else {
          calls += each.work().calls();
          accounted += each.work().rows();
        }
      }
    }
    rows = Math.max(0, rows);
    double times = Math.min(rows, calls + Math.max(0, rows - accounted));
    return new Rate(times / seconds, rows / seconds);
  }
}
