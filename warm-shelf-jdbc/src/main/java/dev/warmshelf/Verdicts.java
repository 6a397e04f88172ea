package dev.warmshelf;

import dev.warmshelf.key.Generations;
import dev.warmshelf.sql.Refusal;
import dev.warmshelf.sql.SqlStatement;
import dev.warmshelf.sql.Verdict;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.LongAdder;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * The verdicts on a program's statements, remembered for the version of the schema and the kind of
 * session that they hold for; so a query made anew for each call costs what a kept one does.
 * Bounded in bytes. A refusal is heard once, and counted.
 *
 * <p>Thread-safe.
 */
final class Verdicts {
  private static final Logger LOG = LoggerFactory.getLogger(WarmShelf.class);
  private static final long MOST_BYTES = 8L << 20;
  private static final long VERDICT_BYTES = 2_000;

  /** So many statements' refusals are told and counted apart. */
  private static final int MOST_TOLD = 1_000;

  private final Generations<Asked, Judged> known =
      new Generations<>(MOST_BYTES, (asked, judged) -> asked.statement.bytes() + VERDICT_BYTES);
  private final ConcurrentHashMap<Told, LongAdder> refusals = new ConcurrentHashMap<>();

  /**
   * What a verdict is on. The statement is one of the program's texts, remembered as one object.
   */
  record Asked(SqlStatement statement, List<String> declared, String ambient) {}

  /**
   * @param schemaVersion of the schema for which the verdict holds
   */
  record Judged(long schemaVersion, Verdict verdict) {}

  private record Told(String normalForm, String why) {}

  /** The verdict that holds for this version of the schema, or null. */
  @Nullable Judged get(Asked asked, long schemaVersion) {
    Judged found = known.get(asked);
    return found != null && found.schemaVersion() == schemaVersion ? found : null;
  }

  void put(Asked asked, Judged judged) {
    known.put(asked, judged);
    if (judged.verdict() instanceof Verdict.Refused refused) {
      tell(asked.statement(), refused.refusal());
    }
  }

  private void tell(SqlStatement statement, Refusal refusal) {
    Told told = new Told(statement.normalForm(), refusal.message());
    if (refusals.size() < MOST_TOLD && refusals.putIfAbsent(told, new LongAdder()) == null) {
      LOG.warn(
          "This query's answers are not kept: {}. Told once for each statement and reason. In: {}",
          refusal.message(),
          statement.text());
    }
  }

  /** A read went to the database since its statement is refused. */
  void count(SqlStatement statement, Refusal refusal) {
    LongAdder count = refusals.get(new Told(statement.normalForm(), refusal.message()));
    if (count != null) {
      count.increment();
    }
  }

  /**
   * How many reads went to the database for such reasons, by statement in normal form and reason.
   */
  Map<String, Map<String, Long>> refusals() {
    Map<String, Map<String, Long>> all = new TreeMap<>();
    refusals.forEach(
        (told, count) ->
            all.computeIfAbsent(told.normalForm(), form -> new TreeMap<>())
                .put(told.why(), count.sum()));
    return all;
  }
}
