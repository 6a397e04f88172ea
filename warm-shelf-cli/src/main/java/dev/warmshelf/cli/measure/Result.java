package dev.warmshelf.cli.measure;

import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * What a comparison found.
 *
 * @param workload its name
 * @param pace how fast the readers asked, in words
 * @param paced whether requests were asked when they were due; otherwise as fast as could be
 * @param warmedUp how long it ran before anything was counted
 * @param took how long it ran after that
 * @param commits when the writer's commits returned, in seconds since the measuring began
 * @param digest names the request stream; the same seed, workload and readers give the same
 * @param ways in the order they were run; the first is the direct way
 * @param firstCalls how long the first direct read of each query took, in nanoseconds: cold pages,
 *     and the statement yet to be prepared
 * @param refusals why the answers of some queries are not kept
 * @param indexes which index would make the direct read of some queries cheaper
 */
public record Result(
    String workload,
    Facts facts,
    Comparison.Settings settings,
    String pace,
    boolean paced,
    Duration warmedUp,
    Duration took,
    List<Double> commits,
    String digest,
    List<Figures> ways,
    Map<String, Long> firstCalls,
    Map<String, String> refusals,
    Map<String, String> indexes) {

  public Figures direct() {
    return ways.get(0);
  }

  /** The way with a TTL and no feed, if it was compared. */
  public Optional<Figures> ttlAlone() {
    return ways.stream().filter(way -> way.way().equals(WayKind.TTL.label())).findFirst();
  }

  /** The way that tells changes apart most finely. */
  public Figures finest() {
    return ways.get(ways.size() - 1);
  }

  /** What keeping a query's answers is worth. */
  public QueryVerdict verdict(String query) {
    return new QueryVerdict(
        QueryVerdict.orNothing(finest().queries().get(query)),
        QueryVerdict.orNothing(direct().queries().get(query)),
        ttlAlone()
            .map(ttl -> QueryVerdict.orNothing(ttl.queries().get(query)))
            .orElseGet(QueryFigures::new),
        Optional.ofNullable(indexes.get(query)),
        Optional.ofNullable(refusals.get(query)));
  }

  /** What is wrong with the run or with what it measured, in words; empty if nothing is. */
  public List<String> faults() {
    List<String> faults = new ArrayList<>();
    if (direct().stale() > 0) {
      faults.add(
          direct().stale()
              + " direct reads were stale, which cannot be: the measurement is wrong; does another"
              + " program write, or do the workload's versions not grow?");
    }
    for (Figures figures : ways) {
      if (figures.never() > 0) {
        faults.add(
            figures.never()
                + " stale reads of '"
                + figures.way()
                + "' would never have been put out: a footprint is wrong");
      }
      if (!figures.countsAgree()) {
        faults.add(
            "'"
                + figures.way()
                + "' counted "
                + figures.ownDatabaseReads()
                + " database reads, but the database "
                + figures.work().map(DatabaseWork.Done::calls).orElse(0L)
                + "; does another program ask the same questions?");
      }
    }
    return faults;
  }
}
