package dev.warmshelf.cli.measure;

import dev.warmshelf.feed.FeedException;
import dev.warmshelf.shelf.Recorder;
import dev.warmshelf.trial.CommitLedger;
import java.sql.Connection;
import java.sql.SQLException;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/**
 * Several ways to read, side by side: the same data, the same stream of requests, the same writer,
 * in short rounds that alternate, so that a noisy machine hurts all alike.
 *
 * <p>Staleness is exact. The writer notes each commit when it has returned, and rows carry
 * versions, so it is known of every read whether it missed a commit that had returned before it
 * began.
 */
public final class Comparison {
  private static final Duration ROUND = Duration.ofSeconds(1);
  private static final Duration LONGEST_WAIT_FOR_FEED = Duration.ofSeconds(10);

  private final DataSource dataSource;
  private final Workload workload;
  private final Settings settings;
  private final Source source;
  private final Progress progress;
  private final CommitLedger<Scope> ledger = new CommitLedger<>();
  private @Nullable Recorder recorder;
  private volatile boolean stopped;

  /**
   * How to run.
   *
   * @param ways to compare, beside direct reads; at least one
   * @param warmUp how long before anything is counted, the ways sharing it equally
   * @param time how long in all after that, the ways sharing it equally
   * @param readers threads that read
   * @param readsPerSecond of all readers together, at their own moments; 0 for as fast as they can
   * @param writesPerSecond commits a second while others read; 0 for none
   * @param ttl of the way that trusts in nothing else
   * @param seed of the request streams and of the writer
   */
  public record Settings(
      Set<WayKind> ways,
      Duration warmUp,
      Duration time,
      int readers,
      double readsPerSecond,
      double writesPerSecond,
      Duration ttl,
      long seed) {}

  /** Told how far the run is. */
  @FunctionalInterface
  public interface Progress {
    /**
     * @param what of the run: a way's round, or a preparation
     * @param share of the run that is done, from 0 to 1
     */
    void at(String what, double share);
  }

  /** Where the requests come from. */
  public interface Source {
    /**
     * A reader's stream; the same for every way.
     *
     * @param reader from 0
     */
    Requests stream(int reader);

    /** One request of each query, to prepare with. */
    List<Request> samples();

    /** Whether requests are asked when they are due; otherwise as fast as can be. */
    boolean isPaced();

    /** How fast the readers ask, in words. */
    String pace();
  }

  private Comparison(
      DataSource dataSource,
      Workload workload,
      Settings settings,
      Source source,
      Progress progress) {
    this.dataSource = dataSource;
    this.workload = workload;
    this.settings = settings;
    this.source = source;
    this.progress = progress;
  }

  /**
   * Prepares a run.
   *
   * @param dataSource with room for the readers, a writer and three more
   * @throws SQLException if the database cannot be reached, or does not hold the workload's tables
   */
  public static Comparison of(
      DataSource dataSource, Workload workload, Settings settings, Progress progress)
      throws SQLException {
    DrawnRequests.Statements drawn;
    try (Connection connection = dataSource.getConnection()) {
      drawn = DrawnRequests.Statements.of(workload.queries(), connection);
    }
    Source source =
        new Source() {
          @Override
          public Requests stream(int reader) {
            return drawn.stream(
                settings.seed() + reader, settings.readsPerSecond() / settings.readers());
          }

          @Override
          public List<Request> samples() {
            return drawn.samples(new SplittableRandom(settings.seed()));
          }

          @Override
          public boolean isPaced() {
            return settings.readsPerSecond() > 0;
          }

          @Override
          public String pace() {
            return isPaced()
                ? String.format(Locale.ROOT, "%,.0f reads a second", settings.readsPerSecond())
                : "as fast as they can";
          }
        };
    return new Comparison(dataSource, workload, settings, source, progress);
  }

  /**
   * Prepares a run that asks what this source says; the workload's queries are not drawn.
   *
   * @param dataSource with room for the readers, a writer and three more
   */
  public static Comparison asking(
      Source source,
      DataSource dataSource,
      Workload workload,
      Settings settings,
      Progress progress) {
    return new Comparison(dataSource, workload, settings, source, progress);
  }

  /** Has the questions of the last way told to a recorder, from after the warm-up. */
  public void recordTo(Recorder told) {
    recorder = told;
  }

  /** Ends the run soon; what has been measured by then is reported. */
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
    List<Request> samples = source.samples();
    List<DatabaseWork.Sample> statements =
        samples.stream()
            .map(sample -> new DatabaseWork.Sample(sample.query().sql(), sample.inputs()))
            .toList();
    try (Ways ways = Ways.open(settings.ways(), dataSource, settings.ttl());
        LagObserver lags = new LagObserver(ways.deliveredUpTo(), System::nanoTime);
        Writer writers = writers(lags)) {
      ShelfWay finest = ways.finest();
      Map<String, Long> firstCalls = prepare(samples, ways.all());
      Map<String, String> refusals = new LinkedHashMap<>();
      for (Request sample : samples) {
        finest.refusal(sample).ifPresent(why -> refusals.put(sample.query().label(), why));
      }
      Map<String, String> advice = advice(samples);
      Optional<DatabaseWork> work = DatabaseWork.of(dataSource, statements);
      Facts facts = Facts.of(dataSource, workload.data());
      List<WayRun> runs = ways.all().stream().map(way -> run(way, work)).toList();
      lags.start();
      writers.start();
      long warmingBegan = System.nanoTime();
      rounds(runs, settings.warmUp(), "warming up: ", writers);
      runs.forEach(WayRun::forget);
      lags.forget();
      finest.warm().recordTo(recorder);
      long measuringBegan = System.nanoTime();
      rounds(runs, settings.time(), "", writers);
      finest.warm().recordTo(null);
      long ended = System.nanoTime();
      writers.finish();
      for (ShelfWay kept : ways.kept()) {
        if (kept.follows()) {
          awaitDelivery(kept);
        }
      }
      lags.look();
      return new Result(
          workload.name(),
          facts,
          settings,
          source.pace(),
          source.isPaced(),
          Duration.ofNanos(measuringBegan - warmingBegan),
          Duration.ofNanos(ended - measuringBegan),
          writers.commits().stream()
              .filter(returned -> returned >= measuringBegan)
              .map(returned -> (returned - measuringBegan) / 1e9)
              .toList(),
          DrawnRequests.digest(streams()),
          runs.stream()
              .map(run -> run.figures(measuringBegan, lags.lags(run.way().name())))
              .toList(),
          firstCalls,
          refusals,
          advice);
    }
  }

  private Writer writers(LagObserver lags) throws SQLException {
    if (workload.changes().isEmpty() || settings.writesPerSecond() == 0) {
      return new Writer(dataSource, ledger, lags, null, settings.seed(), 0);
    }
    try (Connection connection = dataSource.getConnection()) {
      return new Writer(
          dataSource,
          ledger,
          lags,
          DrawnRequests.Statements.of(workload.changes(), connection),
          settings.seed(),
          settings.writesPerSecond());
    }
  }

  private WayRun run(Way way, Optional<DatabaseWork> work) {
    List<Reader> readers =
        streams().stream()
            .map(stream -> new Reader(way, stream, ledger, System::nanoTime))
            .toList();
    return new WayRun(way, readers, work, source.isPaced());
  }

  private List<Requests> streams() {
    List<Requests> streams = new ArrayList<>();
    for (int reader = 0; reader < settings.readers(); reader++) {
      streams.add(source.stream(reader));
    }
    return streams;
  }

  /** Statements prepared, catalogue asked, classes loaded. Times the first direct read of each. */
  private Map<String, Long> prepare(List<Request> samples, List<Way> ways) throws SQLException {
    Map<String, Long> firstCalls = new LinkedHashMap<>();
    for (Request sample : samples) {
      progress.at("reading " + sample.query().label() + " for the first time", 0);
      for (Way way : ways) {
        long began = System.nanoTime();
        way.read(sample);
        firstCalls.putIfAbsent(sample.query().label(), System.nanoTime() - began);
      }
    }
    return firstCalls;
  }

  private Map<String, String> advice(List<Request> samples) throws SQLException {
    Map<String, String> advice = new LinkedHashMap<>();
    try (Connection connection = dataSource.getConnection()) {
      for (Request sample : samples) {
        Workload.Statement query = sample.query();
        IndexAdvice.of(connection, new DatabaseWork.Sample(query.sql(), sample.inputs()))
            .ifPresent(index -> advice.put(query.label(), index));
      }
    }
    return advice;
  }

  /**
   * Lets the ways take turns for a time, each as often. Slow reads make rounds longer than they
   * should be; then there are fewer of them.
   */
  private void rounds(List<WayRun> runs, Duration time, String prefix, Writer writers)
      throws SQLException {
    long all = Math.max(1, time.dividedBy(ROUND.multipliedBy(runs.size())));
    long nanos = time.toNanos() / (all * runs.size());
    long until = System.nanoTime() + time.toNanos();
    for (long done = 0;
        done < all && System.nanoTime() < until && !stopped && !isAtEnd(runs);
        done++) {
      for (int i = 0; i < runs.size() && !stopped; i++) {
        WayRun run = runs.get(i);
        if (run.isAtEnd()) {
          continue;
        }
        progress.at(prefix + run.way().name(), (done + (double) i / runs.size()) / all);
        run.round(nanos, () -> stopped);
        writers.throwIfFailed();
      }
    }
  }

  private static boolean isAtEnd(List<WayRun> runs) {
    return runs.stream().allMatch(WayRun::isAtEnd);
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
}
