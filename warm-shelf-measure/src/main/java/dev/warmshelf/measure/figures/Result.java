package dev.warmshelf.measure.figures;

import dev.warmshelf.measure.database.DatabaseWork;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * What a comparison found.
 *
 * @param conditions what was run
 * @param commits when the writer's commits returned, in seconds since the measuring began
 * @param ways in the order they were run; the first is the direct way
 * @param facts what was found out of each query beforehand
 * @param endedBy what ended the run early, in words; empty if nothing did
 */
public record Result(
    Conditions conditions,
    List<Double> commits,
    List<Figures> ways,
    Map<String, QueryFacts> facts,
    Optional<String> endedBy) {

  /** The way that asks the database each time. */
  public Figures direct() {
    return ways.get(0);
  }

  /** The way with a TTL and no feed, if it was compared. */
  public Optional<Figures> ttlAlone() {
    return ways.stream().filter(way -> way.way() == WayKind.TTL).findFirst();
  }

  /** The way that invalidates most finely, of those whose readers are threads. */
  public Figures finest() {
    List<Figures> threads =
        ways.stream().filter(figures -> figures.way() != WayKind.SHARED).toList();
    return threads.get(threads.size() - 1);
  }

  /**
   * The labels of all queries that could be asked: of those that were found out about, and of those
   * that were asked of the finest way. A short run may not have come to each.
   */
  public Set<String> queries() {
    Set<String> labels = new LinkedHashSet<>(finest().queries().keySet());
    labels.addAll(facts.keySet());
    return labels;
  }

  /** What keeping a query's answers is worth. */
  public QueryVerdict verdict(String query) {
    Optional<QueryFacts> known = Optional.ofNullable(facts.get(query));
    return new QueryVerdict(
        QueryVerdict.orNothing(finest().queries().get(query)),
        QueryVerdict.orNothing(direct().queries().get(query)),
        ttlAlone()
            .map(ttl -> QueryVerdict.orNothing(ttl.queries().get(query)))
            .orElseGet(QueryFigures::new),
        known.flatMap(QueryFacts::index),
        known.flatMap(QueryFacts::refusal));
  }

  /** Whether nothing at all was measured. */
  public boolean isEmpty() {
    return ways.stream().allMatch(way -> way.reads().count() == 0);
  }

  /** What is wrong with the run or with what it measured, in words; empty if nothing is. */
  public List<String> faults() {
    List<String> faults = new ArrayList<>();
    endedBy.ifPresent(why -> faults.add("The run ended early: " + why));
    long stale = direct().staleness().stale();
    if (stale > 0) {
      faults.add(
          stale
              + " direct reads were stale, which cannot be: the measurement is wrong; does another"
              + " program write, or do the workload's versions not grow?");
    }
    for (Figures figures : ways) {
      String name = "'" + figures.way().label() + "'";
      if (figures.staleness().never() > 0) {
        faults.add(
            figures.staleness().never()
                + " stale reads of "
                + name
                + " would never have been invalidated: a footprint is wrong");
      }
      if (!figures.database().agree(figures.reads().refused()) && endedBy.isEmpty()) {
        faults.add(
            name
                + " counted "
                + figures.database().ownCount()
                + " database reads, but the database "
                + figures.database().work().map(DatabaseWork.Done::calls).orElse(0L)
                + "; does another program ask the same questions?");
      }
    }
    return faults;
  }

  /** What a reader of the figures must know to compare them, in words; no faults. */
  public List<String> notes() {
    List<String> notes = new ArrayList<>();
    List<Figures> measured = ways.stream().filter(way -> way.reads().count() > 0).toList();
    long judged = measured.stream().mapToLong(way -> way.staleness().judged()).sum();
    long reads = measured.stream().mapToLong(way -> way.reads().count()).sum();
    if (judged == 0) {
      notes.add(
          "Staleness was not measured: no query's rows carry versions (docs/workloads.md says how"
              + " to name them)");
    } else if (judged < reads) {
      notes.add(
          String.format(
              Locale.ROOT,
              "Staleness is of the %,d reads of %,d whose rows carry versions",
              judged,
              reads));
    }
    conditions.pace().leftOut().forEach(each -> notes.add("Left out: " + each));
    for (Figures way : ways) {
      if (way.reads().refused() > 0) {
        notes.add(
            String.format(
                Locale.ROOT,
                "The database refused %,d questions of '%s'; they are counted nowhere else",
                way.reads().refused(),
                way.way().label()));
      }
    }
    askedUnequally().ifPresent(notes::add);
    return notes;
  }

  /** Of a recording that ended for some ways only, or for none. */
  private Optional<String> askedUnequally() {
    long all = conditions.pace().questions().orElse(0);
    List<String> fewer =
        ways.stream()
            .filter(way -> way.reads().count() + way.reads().refused() < all)
            .map(
                way ->
                    String.format(
                        Locale.ROOT, "'%s' was asked %,d", way.way().label(), way.reads().count()))
            .toList();
    return fewer.isEmpty()
        ? Optional.empty()
        : Optional.of(
            String.format(
                Locale.ROOT,
                "Of the recording's %,d questions %s in the time given; the ways cannot be compared"
                    + " by what the database did in all, and a longer --seconds asks more",
                all,
                String.join(", ", fewer)));
  }
}
