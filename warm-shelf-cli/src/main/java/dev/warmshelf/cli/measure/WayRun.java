package dev.warmshelf.cli.measure;

import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.HeldSize;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.function.BooleanSupplier;
import org.HdrHistogram.Histogram;

/** One way in a comparison: its readers, and what they have noted so far. For one thread. */
final class WayRun {
  private final Way way;
  private final List<Reader> readers;
  private final Optional<DatabaseWork> work;
  private final boolean paced;

  private final Histogram latency = new Histogram(3);
  private final Map<String, QueryFigures> queries = new TreeMap<>();
  private final List<Reader.Stale> stale = new ArrayList<>();
  private final List<Round> rounds = new ArrayList<>();
  private DatabaseWork.Done done = DatabaseWork.Done.NOTHING;
  private Optional<Meters.Snapshot> metersBefore;
  private long ownDatabaseReads;
  private long notAsked;

  private record Round(
      long began, long nanos, long reads, long hits, long lookups, long invalidated) {}

  /**
   * @param paced whether requests are asked when they are due; otherwise as fast as can be
   */
  WayRun(Way way, List<Reader> readers, Optional<DatabaseWork> work, boolean paced) {
    this.way = way;
    this.readers = readers;
    this.work = work;
    this.paced = paced;
    this.metersBefore = way.meters();
  }

  Way way() {
    return way;
  }

  /** Whether every reader has come to the end of its requests. */
  boolean isAtEnd() {
    return readers.stream().allMatch(Reader::isAtEnd);
  }

  /** Lets the readers read for a while; what they noted is added up. */
  void round(long nanos, BooleanSupplier stopped) throws SQLException {
    DatabaseWork.Done doneBefore = counted();
    long ownBefore = way.databaseReads();
    long invalidatedBefore = invalidated();
    long began = System.nanoTime();
    ExecutorService pool = Executors.newFixedThreadPool(readers.size());
    try {
      List<Future<Void>> running = new ArrayList<>();
      for (Reader reader : readers) {
        Callable<Void> job =
            () -> {
              if (paced) {
                reader.readPaced(began, began + nanos, stopped);
              } else {
                reader.readUntil(began + nanos, stopped);
              }
              return null;
            };
        running.add(pool.submit(job));
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
      pool.shutdownNow();
    }
    long took = System.nanoTime() - began;
    add(began, took, way.databaseReads() - ownBefore, invalidated() - invalidatedBefore);
    done = done.and(counted().since(doneBefore));
  }

  /** Forgets all that has been noted so far: it was the warm-up. */
  void forget() {
    readers.forEach(Reader::forget);
    latency.reset();
    queries.clear();
    stale.clear();
    rounds.clear();
    done = DatabaseWork.Done.NOTHING;
    metersBefore = way.meters();
    ownDatabaseReads = 0;
    notAsked = 0;
  }

  /**
   * What has been measured. To be called when no commit is under way any more, and the feed has
   * told of all.
   *
   * @param measuringBegan when the run began, on the monotonic clock
   * @param lags of its feed behind the commits, in nanoseconds
   */
  Figures figures(long measuringBegan, Histogram lags) {
    readers.forEach(Reader::judgeTheRest);
    takeAll();
    Map<String, HeldSize> held = way.held();
    queries.forEach((label, query) -> query.holding(held.getOrDefault(label, new HeldSize(0, 0))));
    Histogram ages = new Histogram(3);
    long never = 0;
    for (Reader.Stale read : stale) {
      boolean ticked = read.ticked().getAsBoolean();
      ages.recordValue(read.ageNanos());
      never += ticked ? 0 : 1;
      queries.computeIfAbsent(read.query(), l -> new QueryFigures()).addStale(ticked);
    }
    List<Figures.Slice> slices =
        rounds.stream()
            .map(
                round ->
                    new Figures.Slice(
                        (round.began() - measuringBegan) / 1e9,
                        round.nanos() / 1e9,
                        round.reads(),
                        round.hits(),
                        round.lookups(),
                        round.invalidated()))
            .toList();
    return new Figures(
        way.name(),
        latency,
        Duration.ofNanos(rounds.stream().mapToLong(Round::nanos).sum()),
        rounds.stream().mapToLong(Round::hits).sum(),
        rounds.stream().mapToLong(Round::lookups).sum(),
        ownDatabaseReads,
        work.map(counted -> done),
        stale.size() - never,
        never,
        ages,
        lags,
        notAsked,
        queries,
        slices,
        way.meters().map(now -> now.since(metersBefore.orElseThrow())));
  }

  private void add(long began, long nanos, long databaseReads, long invalidated) {
    long readsBefore = latency.getTotalCount() - notAsked;
    long[] noted = takeAll();
    long reads = latency.getTotalCount() - notAsked - readsBefore;
    rounds.add(new Round(began, nanos, reads, noted[0], noted[1], invalidated));
    ownDatabaseReads += databaseReads;
  }

  /** Adds up what the readers have noted; gives hits and lookups. */
  private long[] takeAll() {
    long hits = 0;
    long lookups = 0;
    for (Reader reader : readers) {
      Reader.Tally tally = reader.take();
      latency.add(tally.latency);
      stale.addAll(tally.stale);
      notAsked += tally.notAsked;
      hits += tally.hits;
      lookups += tally.lookups;
      tally.queries.forEach(
          (label, figures) -> queries.computeIfAbsent(label, l -> new QueryFigures()).add(figures));
    }
    return new long[] {hits, lookups};
  }

  private DatabaseWork.Done counted() throws SQLException {
    return work.isPresent() ? work.get().done() : DatabaseWork.Done.NOTHING;
  }

  private long invalidated() {
    return way.meters().map(Meters.Snapshot::invalidated).orElse(0L);
  }
}
