package dev.warmshelf.study;

import java.util.HashMap;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/** When which table changed last, and so whether answers may differ. For one thread. */
final class Changes {
  /** What the feed tells of, somebody may have read this much earlier. */
  static final long LAG_MICROS = 200_000;

  private final Map<String, Long> last = new HashMap<>();
  private final Map<Integer, Set<String>> tables = new HashMap<>();
  private boolean any;
  private long lastOfAny = Long.MIN_VALUE;
  private long lastOfAll = Long.MIN_VALUE;

  void changed(String table, long atMicros) {
    any = true;
    lastOfAny = atMicros;
    if (table.equals("*")) {
      lastOfAll = atMicros;
    } else {
      last.put(table, atMicros);
    }
  }

  void dependsOn(int statement, Set<String> on) {
    tables.put(statement, on);
  }

  /** Whether the recording tells of changes at all. */
  boolean areTold() {
    return any;
  }

  /** When anything may have changed last. */
  long lastOfAll() {
    return lastOfAll;
  }

  /** When something that a statement depends on changed last. */
  long lastOf(int statement) {
    Set<String> on = tables.get(statement);
    if (on == null) {
      return lastOfAny; // it may be any
    }
    long latest = lastOfAll;
    for (String table : on) {
      @Nullable Long changed = last.get(table);
      latest = changed == null ? latest : Math.max(latest, changed);
    }
    return latest;
  }
}
