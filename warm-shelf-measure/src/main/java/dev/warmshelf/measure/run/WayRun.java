package dev.warmshelf.measure.run;

import dev.warmshelf.measure.database.DatabaseWork;
import dev.warmshelf.measure.figures.DatabaseReads;
import dev.warmshelf.measure.figures.Figures;
import dev.warmshelf.measure.figures.Kept;
import dev.warmshelf.measure.figures.QueryFigures;
import dev.warmshelf.measure.figures.Reads;
import dev.warmshelf.measure.figures.Staleness;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.read.HeldSize;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.function.BooleanSupplier;
import org.HdrHistogram.Histogram;

/** One way in a comparison: those that ask it, and what they have noted so far. For one thread. */
final class WayRun {
  private static final long LONGEST_READ_SECONDS = 30;

  private final Way way;
  private final List<Asker> askers;
  private final Optional<DatabaseWork> work;

  private final Histogram latency = new Histogram(3);
  private final Map<String, QueryFigures> queries = new TreeMap<>();
  private final List<Reader.Stale> stale = new ArrayList<>();
  private final List<Round> rounds = new ArrayList<>();
  private DatabaseWork.Done done = DatabaseWork.Done.NOTHING;

  /** At the end of the last round, by query. */
  private Map<String, HeldSize> held = Map.of();

  private Optional<Meters.Snapshot> metersBefore;
  private long ownDatabaseReads;
  private long notAsked;
  private long refused;

  private record Round(
      long began, long nanos, long reads, long hits, long lookups, long invalidated) {
    Figures.Round since(long measuringBegan) {
      return new Figures.Round(
          (began - measuringBegan) / 1e9, nanos / 1e9, reads, hits, lookups, invalidated);
    }
  }

  WayRun(Way way, List<Asker> askers, Optional<DatabaseWork> work) {
    this.way = way;
    this.askers = askers;
    this.work = work;
    this.metersBefore = way.meters();
  }

  Way way() {
    return way;
  }

  /** Whether every reader has come to the end of its requests. */
  boolean isAtEnd() {
    return askers.stream().allMatch(Asker::isAtEnd);
  }

  /** Has it asked for a while; what they noted is added up, also if one of them fails. */
  void round(long nanos, BooleanSupplier stopped) throws SQLException {
    DatabaseWork.Done doneBefore = counted();
    long ownBefore = way.databaseReads();
    long invalidatedBefore = invalidated();
    long began = System.nanoTime();
    try {
      readAll(began, nanos, stopped);
    } finally {
      way.settle();
      long took = System.nanoTime() - began;
      add(began, took, way.databaseReads() - ownBefore, invalidated() - invalidatedBefore);
    }
    done = done.and(counted().since(doneBefore));
    held = way.held(); // what expires while others have their turns leaves
  }

  private void readAll(long began, long nanos, BooleanSupplier stopped) throws SQLException {
    ExecutorService pool = Executors.newFixedThreadPool(askers.size());
    try {
      List<Future<Void>> running = new ArrayList<>();
      for (Asker asker : askers) {
        running.add(
            pool.submit(
                () -> {
                  asker.round(began, nanos, stopped);
                  return null;
                }));
      }
      for (Future<Void> each : running) {
        each.get();
      }
    } catch (ExecutionException e) {
      if (e.getCause() instanceof RuntimeException wrong) {
        throw wrong;
      }
      throw e.getCause() instanceof SQLException cause ? cause : new SQLException(e.getCause());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new SQLException("The run was interrupted.", e);
    } finally {
      awaitEnd(pool);
    }
  }

  /** Nobody may note anything any more while what was noted is added up. */
  private static void awaitEnd(ExecutorService pool) throws SQLException {
    pool.shutdownNow();
    try {
      if (!pool.awaitTermination(LONGEST_READ_SECONDS, TimeUnit.SECONDS)) {
        throw new SQLException("A read has not ended for " + LONGEST_READ_SECONDS + " seconds.");
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  /** Forgets all that has been noted so far: it was the warm-up. */
  void forget() {
    askers.forEach(Asker::forget);
    latency.reset();
    queries.clear();
    stale.clear();
    rounds.clear();
    done = DatabaseWork.Done.NOTHING;
    metersBefore = way.meters();
    ownDatabaseReads = 0;
    notAsked = 0;
    refused = 0;
  }

  /**
   * What has been measured. To be called when no commit is under way any more.
   *
   * @param measuringBegan when the run began, on the monotonic clock
   * @param lags of its feed behind the commits, in nanoseconds
   * @param delivered whether the feed has told of all; if not, nobody knows which stale answers it
   *     would still have invalidated, and none is called a defect
   */
  Figures figures(long measuringBegan, Histogram lags, boolean delivered) {
    askers.forEach(Asker::judgeTheRest);
    takeAll();
    queries.forEach((label, query) -> query.holding(held.getOrDefault(label, HeldSize.NOTHING)));
    Staleness staleness = staleness(delivered);
    Reads reads =
        new Reads(
            latency,
            rounds.stream().mapToLong(Round::hits).sum(),
            rounds.stream().mapToLong(Round::lookups).sum(),
            notAsked,
            refused);
    return new Figures(
        way.kind(),
        reads,
        new DatabaseReads(ownDatabaseReads, work.map(counted -> done)),
        staleness,
        new Kept(way.meters().map(now -> now.since(metersBefore.orElseThrow())), lags),
        queries,
        rounds.stream().map(round -> round.since(measuringBegan)).toList());
  }

  private Staleness staleness(boolean delivered) {
    Histogram ages = new Histogram(3);
    long never = 0;
    for (Reader.Stale read : stale) {
      boolean invalidated = !delivered || read.invalidated().getAsBoolean();
      ages.recordValue(read.ageNanos());
      never += invalidated ? 0 : 1;
      queries.computeIfAbsent(read.query(), l -> new QueryFigures()).addStale(invalidated);
    }
    long judged = queries.values().stream().mapToLong(QueryFigures::judged).sum();
    return new Staleness(judged, stale.size() - never, never, ages);
  }

  private void add(long began, long nanos, long databaseReads, long invalidated) {
    long readsBefore = latency.getTotalCount() - notAsked;
    Noted noted = takeAll();
    long reads = latency.getTotalCount() - notAsked - readsBefore;
    rounds.add(new Round(began, nanos, reads, noted.hits(), noted.lookups(), invalidated));
    ownDatabaseReads += databaseReads;
  }

  private record Noted(long hits, long lookups) {}

  /** Adds up what has been noted. */
  private Noted takeAll() {
    long hits = 0;
    long lookups = 0;
    for (Asker asker : askers) {
      Reader.Tally tally = asker.take();
      latency.add(tally.latency);
      stale.addAll(tally.stale);
      notAsked += tally.notAsked;
      refused += tally.refused;
      hits += tally.hits;
      lookups += tally.lookups;
      tally.queries.forEach(
          (label, figures) -> queries.computeIfAbsent(label, l -> new QueryFigures()).add(figures));
    }
    return new Noted(hits, lookups);
  }

  private DatabaseWork.Done counted() throws SQLException {
    return work.isPresent() ? work.get().done() : DatabaseWork.Done.NOTHING;
  }

  private long invalidated() {
    return way.meters().map(snapshot -> snapshot.get(Count.INVALIDATED)).orElse(0L);
  }
}
