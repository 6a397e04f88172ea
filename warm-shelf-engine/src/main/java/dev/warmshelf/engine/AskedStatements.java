package dev.warmshelf.engine;

import dev.warmshelf.shelf.AskedStatement;
import dev.warmshelf.shelf.AskedStatement.Outcomes;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.statement.SqlStatement;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.LongAdder;

/** What a program has asked, counted by name and normal form. Thread-safe. */
public final class AskedStatements {
  /** So many forms are counted apart; what comes later is counted together. */
  private static final int MOST = 1_000;

  /** Longer forms are counted together, too: they are made by a program for one execution each. */
  private static final int LONGEST = 4_000;

  private final Map<Form, Count> counts = new ConcurrentHashMap<>();
  private final Count others = new Count("", new Form("", "(others)"));

  private record Form(String name, String normalForm) {}

  /** Of one form. */
  public static final class Count {
    private final String digest;
    private final Form form;
    private final LongAdder hits = new LongAdder();
    private final LongAdder misses = new LongAdder();
    private final LongAdder direct = new LongAdder();
    private volatile String standing = AskedStatement.NO_RULE;

    private Count(String digest, Form form) {
      this.digest = digest;
      this.form = form;
    }

    /** Somebody has his answer. */
    public void isAnswered(Origin origin) {
      if (origin.isHit()) {
        hits.increment();
      } else {
        (origin == Origin.DIRECT ? direct : misses).increment();
      }
    }

    /** What becomes of its answers now. */
    public void stands(String how) {
      standing = how;
    }
  }

  /** A count that nobody is shown. */
  public static Count apart(SqlStatement statement) {
    return new Count(statement.formDigest(), new Form("", statement.normalForm()));
  }

  /** The count of a statement's form. */
  public Count of(SqlStatement statement) {
    return of("", statement);
  }

  /**
   * The same of a query.
   *
   * @param name empty if it has none
   */
  public Count of(String name, SqlStatement statement) {
    Form form = new Form(name, statement.normalForm());
    Count known = counts.get(form);
    if (known != null) {
      return known;
    } else if (counts.size() >= MOST || form.normalForm().length() > LONGEST) {
      return others;
    }
    return counts.computeIfAbsent(form, each -> new Count(statement.formDigest(), each));
  }

  /** All that were asked, the most frequent first. */
  public List<AskedStatement> all(Map<String, Map<String, Long>> refusals) {
    List<Count> now = new ArrayList<>(counts.values());
    now.add(others);
    return now.stream()
        .map(count -> asked(count, refusals))
        .filter(asked -> asked.outcomes().all() > 0)
        .sorted(
            Comparator.comparingLong((AskedStatement asked) -> asked.outcomes().all())
                .reversed()
                .thenComparing(AskedStatement::normalForm))
        .toList();
  }

  private static AskedStatement asked(Count count, Map<String, Map<String, Long>> refusals) {
    Map<String, Long> refused = refusals.getOrDefault(count.form.normalForm(), Map.of());
    String standing =
        refused.isEmpty() ? count.standing : "refused: " + refused.keySet().iterator().next();
    Outcomes outcomes = new Outcomes(count.hits.sum(), count.misses.sum(), count.direct.sum());
    return new AskedStatement(
        count.form.name(), count.digest, count.form.normalForm(), outcomes, standing);
  }
}
