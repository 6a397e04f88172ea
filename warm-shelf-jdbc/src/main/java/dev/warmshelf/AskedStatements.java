package dev.warmshelf;

import dev.warmshelf.sql.SqlStatement;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.LongAdder;

/** What a program has asked by JDBC, counted by normal form. Thread-safe. */
final class AskedStatements {
  /** So many forms are counted apart; what comes later is counted together. */
  private static final int MOST = 1_000;

  /** Longer forms are counted together, too: they are made by a program for one execution each. */
  private static final int LONGEST = 4_000;

  private final Map<String, Count> counts = new ConcurrentHashMap<>();
  private final Count others = new Count("", "(others)");

  /** Of one form. */
  static final class Count {
    private final String digest;
    private final String form;
    private final LongAdder answered = new LongAdder();
    private final LongAdder sent = new LongAdder();
    private volatile String standing = AskedStatement.NO_RULE;

    private Count(String digest, String form) {
      this.digest = digest;
      this.form = form;
    }

    /** A shelf has answered. */
    void isAnswered() {
      answered.increment();
    }

    /** The database was asked. */
    void isSent() {
      sent.increment();
    }

    /** What the rules say now. */
    void stands(String how) {
      standing = how;
    }
  }

  /** The count of a statement's form. */
  Count of(SqlStatement statement) {
    Count known = counts.get(statement.normalForm());
    if (known != null) {
      return known;
    } else if (counts.size() >= MOST || statement.normalForm().length() > LONGEST) {
      return others;
    }
    return counts.computeIfAbsent(
        statement.normalForm(), form -> new Count(statement.formDigest(), form));
  }

  /** All that were executed, the most frequent first. */
  List<AskedStatement> all(Map<String, Map<String, Long>> refusals) {
    List<Count> now = new ArrayList<>(counts.values());
    now.add(others);
    return now.stream()
        .map(count -> asked(count, refusals))
        .filter(asked -> asked.executions() > 0)
        .sorted(
            Comparator.comparingLong(AskedStatement::executions)
                .reversed()
                .thenComparing(AskedStatement::normalForm))
        .toList();
  }

  private static AskedStatement asked(Count count, Map<String, Map<String, Long>> refusals) {
    Map<String, Long> refused = refusals.getOrDefault(count.form, Map.of());
    String standing =
        refused.isEmpty() ? count.standing : "refused: " + refused.keySet().iterator().next();
    long answered = count.answered.sum();
    return new AskedStatement(
        count.digest, count.form, answered + count.sent.sum(), answered, standing);
  }
}
