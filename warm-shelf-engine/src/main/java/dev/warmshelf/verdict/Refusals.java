package dev.warmshelf.verdict;

import dev.warmshelf.base.Library;
import dev.warmshelf.statement.Refusal;
import dev.warmshelf.statement.SqlStatement;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.LongAdder;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/** Refusals, each heard once and counted from then on. Thread-safe. */
public final class Refusals {
  private static final Logger LOG = LoggerFactory.getLogger(Library.LOG);

  /** So many statements' refusals are told and counted apart. */
  private static final int MOST_TOLD = 1_000;

  private final ConcurrentHashMap<Told, LongAdder> counts = new ConcurrentHashMap<>();

  private record Told(String normalForm, String why) {}

  /** A statement has been refused. */
  void tell(SqlStatement statement, Refusal refusal) {
    Told told = new Told(statement.normalForm(), refusal.message());
    if (counts.size() < MOST_TOLD && counts.putIfAbsent(told, new LongAdder()) == null) {
      LOG.warn(
          "This query's answers are not kept: {}. Told once for each statement and reason. In: {}",
          refusal.message(),
          statement.text());
    }
  }

  /** A read went to the database since its statement is refused. */
  public void count(SqlStatement statement, Refusal refusal) {
    LongAdder count = counts.get(new Told(statement.normalForm(), refusal.message()));
    if (count != null) {
      count.increment();
    }
  }

  /** How many reads went to the database, by statement in normal form and reason. */
  public Map<String, Map<String, Long>> all() {
    Map<String, Map<String, Long>> all = new TreeMap<>();
    counts.forEach(
        (told, count) ->
            all.computeIfAbsent(told.normalForm(), form -> new TreeMap<>())
                .put(told.why(), count.sum()));
    return all;
  }
}
