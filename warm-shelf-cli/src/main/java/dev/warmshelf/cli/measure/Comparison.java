package dev.warmshelf.cli.measure;

import dev.warmshelf.Precision;
import dev.warmshelf.feed.FeedException;
import dev.warmshelf.meter.CommitLedger;
import dev.warmshelf.scenario.Scale;
import java.sql.SQLException;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.TreeMap;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import javax.sql.DataSource;
import org.HdrHistogram.Histogram;

/**
 * Several ways to read, side by side: the same data, the same stream of requests, the same writers,
 * in short rounds that alternate, so that a noisy machine hurts all alike.
 *
 * <p>Staleness is exact. Writers note each commit when it has returned, and rows carry versions, so
 * it is known of every read whether it missed a commit that had returned before it began.
 */
public final class Comparison {
  private static final int SECONDS_PER_ROUND_OF_ALL = 5;
  private static final Duration LONGEST_WAIT_FOR_FEED = Duration.ofSeconds(10);

  private final DataSource dataSource;
  private final Settings settings;
  private final Progress progress;
  private final Company company;
  private final CommitLedger<Scope> ledger = new CommitLedger<>();
  private volatile boolean stopped;

  /**
   * What to run.
   *
   * @param seconds how long in all, the ways sharing it equally
   * @param readers threads that read
   * @param writesPerSecond commits a second while others read; 0 for none
   * @param ttl of the way that trusts in nothing else
   * @param seed of the request streams and of the writers
   */
  public record Settings(
      int seconds, int readers, double writesPerSecond, Duration ttl, long seed) {}

  /** Told how far the run is. */
  @FunctionalInterface
  public interface Progress {
    void round(String way, int done, int all);
  }

  private Comparison(DataSource dataSource, Settings settings, Progress progress, Company company) {
    this.dataSource = dataSource;
    this.settings = settings;
    this.progress = progress;
    this.company = company;
  }

  /**
   * Prepares a run on the demo's tables.
   *
   * @param dataSource with room for the readers, a writer and two more
   * @throws SQLException if the database cannot be reached or does not hold them
   */
  public static Comparison on(DataSource dataSource, Settings settings, Progress progress)
      throws SQLException {
    return new Comparison(dataSource, settings, progress, Company.in(dataSource));
  }

  /** Ends the run after the current round; what has been measured by then is reported. */
  public void stop() {
    stopped = true;
  }

  /**
   * Runs.
   *
   * @throws SQLException if a read or a write fails
   * @throws FeedException if the journal is not installed
   */
  public Result run() throws SQLException, FeedException {
    List<Request> samples =
        List.of(
            Request.departures(1, Scale.FIRST_DAY),
            Request.sailing(1, "session-0"),
            Request.notices(1),
            Request.occupancy(1));
    Optional<StatementCounter> counter = StatementCounter.of(dataSource, samples);
    try (DirectWay direct = new DirectWay(dataSource);
        ShelfWay ttl = ShelfWay.onTtlAlone(dataSource, settings.ttl());
        ShelfWay tables = ShelfWay.following(dataSource, Precision.TABLES);
        ShelfWay values = ShelfWay.following(dataSource, Precision.VALUES);
        ShelfWay answers = ShelfWay.following(dataSource, Precision.ANSWERS);
        Writers writers =
            new Writers(dataSource, ledger, company, settings.seed(), settings.writesPerSecond())) {
      List<Way> ways = List.of(direct, ttl, tables, values, answers);
      for (Request sample : samples) { // statements prepared, catalogue asked, classes loaded
        for (Way way : ways) {
          way.read(sample);
        }
      }
      List<Tally> tallies = ways.stream().map(this::tally).toList();
      int rounds = Math.max(2, settings.seconds() / SECONDS_PER_ROUND_OF_ALL);
      Duration round =
          Duration.ofSeconds(settings.seconds()).dividedBy((long) rounds * tallies.size());
      Instant began = Instant.now();
      writers.start();
      for (int done = 0; done < rounds && !stopped; done++) {
        for (Tally tally : tallies) {
          progress.round(tally.way.name(), done, rounds);
          run(tally, round, counter);
        }
      }
      SQLException failure = writers.failure();
      if (failure != null) {
        throw failure;
      }
      writers.close();
      Duration took = Duration.between(began, Instant.now());
      for (ShelfWay following : List.of(tables, values, answers)) {
        awaitDelivery(following);
      }
      return new Result(
          settings,
          company,
          took,
          writers.commits(),
          tallies.stream().map(Tally::figures).toList(),
          answers.meters());
    }
  }

  private Tally tally(Way way) {
    List<RequestStream> streams = new ArrayList<>();
    for (int reader = 0; reader < settings.readers(); reader++) {
      streams.add(new RequestStream(settings.seed() + reader, company));
    }
    return new Tally(way, streams);
  }

  private void run(Tally tally, Duration round, Optional<StatementCounter> counter)
      throws SQLException {
    long before = counter.isPresent() ? counter.get().count() : 0;
    long ownBefore = tally.way.databaseReads();
    long until = System.nanoTime() + round.toNanos();
    ExecutorService pool = Executors.newFixedThreadPool(settings.readers());
    try {
      List<Future<ReaderTally>> readers = new ArrayList<>();
      for (RequestStream stream : tally.streams) {
        Callable<ReaderTally> reader = () -> read(tally.way, stream, until);
        readers.add(pool.submit(reader));
      }
      for (Future<ReaderTally> reader : readers) {
        tally.add(reader.get());
      }
    } catch (ExecutionException e) {
      throw e.getCause() instanceof SQLException cause ? cause : new SQLException(e.getCause());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      stopped = true;
    } finally {
      pool.shutdownNow();
    }
    tally.ownDatabaseReads += tally.way.databaseReads() - ownBefore;
    if (counter.isPresent()) {
      tally.countedDatabaseReads =
          OptionalLong.of(tally.countedDatabaseReads.orElse(0) + counter.get().count() - before);
    }
    tally.nanos += round.toNanos();
  }

  private ReaderTally read(Way way, RequestStream stream, long until) throws SQLException {
    ReaderTally tally = new ReaderTally();
    while (System.nanoTime() < until && !stopped) {
      Request request = stream.next();
      long began = System.nanoTime();
      Way.Read read = way.read(request);
      long took = System.nanoTime() - began;
      tally.latency.recordValue(took);
      tally
          .queries
          .computeIfAbsent(request.kind().label(), label -> new QueryFigures())
          .add(read.origin(), took);
      Seen seen = read.seen();
      long age = -1;
      for (Map.Entry<Scope, Long> version : seen.versions().entrySet()) {
        age =
            Math.max(age, ledger.staleness(version.getKey(), version.getValue(), began).orElse(-1));
      }
      if (age >= 0) {
        tally.stale.add(new Stale(age, seen));
      }
    }
    return tally;
  }

  private static void awaitDelivery(ShelfWay shelf) throws SQLException {
    Instant now = Instant.now();
    Instant deadline = now.plus(LONGEST_WAIT_FOR_FEED);
    while (!shelf.warm().freshAsOf().orElse(Instant.MIN).isAfter(now)) {
      if (Instant.now().isAfter(deadline)) {
        throw new SQLException("The feed has not delivered for " + LONGEST_WAIT_FOR_FEED + ".");
      }
      LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(1));
    }
  }

  /** A read that missed a commit. */
  private record Stale(long ageNanos, Seen seen) {}

  private static final class ReaderTally {
    private final Histogram latency = new Histogram(3);
    private final List<Stale> stale = new ArrayList<>();
    private final Map<String, QueryFigures> queries = new HashMap<>();
  }

  /** What one way has done so far. */
  private static final class Tally {
    private final Way way;
    private final List<RequestStream> streams;
    private final Histogram latency = new Histogram(3);
    private final List<Stale> stale = new ArrayList<>();
    private final Map<String, QueryFigures> queries = new TreeMap<>();
    private long ownDatabaseReads;
    private OptionalLong countedDatabaseReads = OptionalLong.empty();
    private long nanos;

    Tally(Way way, List<RequestStream> streams) {
      this.way = way;
      this.streams = streams;
    }

    void add(ReaderTally reader) {
      latency.add(reader.latency);
      stale.addAll(reader.stale);
      reader.queries.forEach(
          (label, figures) -> queries.computeIfAbsent(label, l -> new QueryFigures()).add(figures));
    }

    Figures figures() {
      Histogram ages = new Histogram(3);
      long never = 0;
      for (Stale read : stale) {
        ages.recordValue(read.ageNanos());
        never += read.seen().ticked().getAsBoolean() ? 0 : 1;
      }
      return new Figures(
          way.name(),
          latency,
          Duration.ofNanos(nanos),
          way.hitRatio(),
          ownDatabaseReads,
          countedDatabaseReads,
          stale.size() - never,
          never,
          ages,
          queries);
    }
  }
}
