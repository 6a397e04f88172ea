package dev.warmshelf.measure.run;

import dev.warmshelf.measure.database.DatabaseFacts;
import dev.warmshelf.measure.database.DatabaseWork;
import dev.warmshelf.measure.database.IndexAdvice;
import dev.warmshelf.measure.figures.Conditions;
import dev.warmshelf.measure.figures.Figures;
import dev.warmshelf.measure.figures.Pace;
import dev.warmshelf.measure.figures.QueryFacts;
import dev.warmshelf.measure.figures.Result;
import dev.warmshelf.measure.figures.RunSettings;
import dev.warmshelf.measure.figures.WayKind;
import dev.warmshelf.measure.text.DatabaseErrors;
import dev.warmshelf.measure.workload.DrawnRequests;
import dev.warmshelf.measure.workload.DrawnSource;
import dev.warmshelf.measure.workload.Request;
import dev.warmshelf.measure.workload.RequestSource;
import dev.warmshelf.measure.workload.Requests;
import dev.warmshelf.measure.workload.VersionedThing;
import dev.warmshelf.measure.workload.Workload;
import dev.warmshelf.shelf.read.Recorder;
import dev.warmshelf.spi.feed.FeedException;
import dev.warmshelf.statement.Verdict;
import dev.warmshelf.trial.CommitLedger;
import java.sql.Connection;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/**
 * Several ways to read, side by side: the same data, the same stream of requests, the same writer,
 * in short rounds that alternate, so that a noisy machine hurts all alike.
 *
 * <p>Staleness is exact. The writer notes each commit when it has returned, and rows carry
 * versions, so it is known of every read whether it missed a commit that had returned before it
 * began.
 *
 * <p>For one thread, but for {@link #stop}.
 */
public final class Comparison {
  private static final Duration ROUND = Duration.ofSeconds(1);

  private final DataSource dataSource;
  private final Workload workload;
  private final RunSettings settings;
  private final RequestSource source;
  private final Progress progress;
  private final CommitLedger<VersionedThing> ledger = new CommitLedger<>();
  private @Nullable Recorder recorder;
  private @Nullable Sharers sharers;
  private volatile boolean stopped;

  /** Told how far the run is. */
  @FunctionalInterface
  public interface Progress {
    /**
     * @param what of the run: a way's round, or a preparation
     * @param share of the run that is done, from 0 to 1
     */
    void at(String what, double share);
  }

  /** On the monotonic clock, in nanoseconds. */
  private record Span(long warmingBegan, long measuringBegan, long ended, Optional<String> by) {
    Duration warmedUp() {
      return Duration.ofNanos(measuringBegan - warmingBegan);
    }

    Duration took() {
      return Duration.ofNanos(ended - measuringBegan);
    }
  }

  private Comparison(
      RequestSource source,
      DataSource dataSource,
      Workload workload,
      RunSettings settings,
      Progress progress) {
    this.dataSource = dataSource;
    this.workload = workload;
    this.settings = settings;
    this.source = source;
    this.progress = progress;
  }

  /**
   * Prepares a run of a workload's queries.
   *
   * @param dataSource with room for the readers, a writer and, for each way, three more
   * @throws SQLException if the database cannot be reached, or does not hold the workload's tables
   */
  public static Comparison of(
      DataSource dataSource, Workload workload, RunSettings settings, Progress progress)
      throws SQLException {
    try (Connection connection = dataSource.getConnection()) {
      DrawnSource source =
          DrawnSource.of(
              workload,
              connection,
              settings.seed(),
              settings.traffic().readers(),
              settings.traffic().readsPerSecond());
      return new Comparison(source, dataSource, workload, settings, progress);
    }
  }

  /**
   * Prepares a run that asks what this source says; the workload's queries are not drawn.
   *
   * @param dataSource with room for the readers, a writer and, for each way, three more
   */
  public static Comparison asking(
      RequestSource source,
      DataSource dataSource,
      Workload workload,
      RunSettings settings,
      Progress progress) {
    return new Comparison(source, dataSource, workload, settings, progress);
  }

  /** Has the questions of the last way told to a recorder, from after the warm-up. */
  public void recordTo(Recorder told) {
    recorder = told;
  }

  /** With what to measure {@link WayKind#SHARED}. */
  public Comparison sharingThrough(Sharers with) {
    sharers = with;
    return this;
  }

  /** Ends the run soon; what has been measured by then is reported. Any thread may call it. */
  public void stop() {
    stopped = true;
  }

  /**
   * Runs. If the database fails once measuring has begun, what was measured by then is the result,
   * which says so.
   *
   * @throws SQLException if a read or a write fails before that
   * @throws FeedException if the journal is not installed
   */
  public Result run() throws SQLException, FeedException {
    try (Ways ways = Ways.open(settings.ways(), dataSource, settings.ttl(), sharers);
        LagObserver lags = new LagObserver(ways.deliveredUpTo(), System::nanoTime);
        Writer writer = writer(lags)) {
      List<Request> samples = source.samples();
      Map<String, QueryFacts> facts = prepare(samples, ways);
      DatabaseFacts database = DatabaseFacts.of(dataSource, workload.data());
      Optional<DatabaseWork> work = DatabaseWork.of(dataSource, asSamples(samples, ways));
      List<WayRun> runs = new ArrayList<>();
      for (Way way : ways.all()) {
        runs.add(new WayRun(way, askers(way), work));
      }
      lags.start();
      writer.start();
      Span span = measure(runs, ways, lags, writer);
      boolean delivered = settle(ways, lags, writer, span);
      Conditions conditions =
          new Conditions(
              workload.name(),
              database,
              settings,
              new Pace(source.isPaced(), source.pace(), source.size(), source.leftOut()),
              DrawnRequests.digest(streams()),
              span.warmedUp(),
              span.took());
      List<Figures> figures =
          runs.stream()
              .map(
                  run -> run.figures(span.measuringBegan(), lags.lags(run.way().kind()), delivered))
              .toList();
      return new Result(conditions, commits(writer, span), figures, facts, span.by());
    }
  }

  private Span measure(List<WayRun> runs, Ways ways, LagObserver lags, Writer writer)
      throws SQLException {
    long warmingBegan = System.nanoTime();
    rounds(runs, settings.warmUp(), "warming up: ", writer);
    runs.forEach(WayRun::forget);
    lags.forget();
    ways.finest().warm().recordTo(recorder);
    long measuringBegan = System.nanoTime();
    Optional<String> endedBy = Optional.empty();
    try {
      rounds(runs, settings.time(), "", writer);
    } catch (SQLException e) {
      endedBy = Optional.of(DatabaseErrors.inWords(e));
    } finally {
      ways.finest().warm().recordTo(null);
    }
    return new Span(warmingBegan, measuringBegan, System.nanoTime(), endedBy);
  }

  /** Waits until all is told; returns whether it is. */
  private boolean settle(Ways ways, LagObserver lags, Writer writer, Span span)
      throws SQLException {
    if (span.by().isPresent()) {
      writer.close();
      return false;
    }
    writer.finish();
    for (Way way : ways.all()) {
      way.awaitDelivery();
    }
    lags.look();
    return true;
  }

  private static List<Double> commits(Writer writer, Span span) {
    return writer.commits().stream()
        .filter(returned -> returned >= span.measuringBegan())
        .map(returned -> (returned - span.measuringBegan()) / 1e9)
        .toList();
  }

  private Writer writer(LagObserver lags) throws SQLException {
    double perSecond = settings.traffic().writesPerSecond();
    if (workload.changes().isEmpty() || perSecond == 0) {
      return Writer.ofNothing(dataSource, ledger, lags);
    }
    try (Connection connection = dataSource.getConnection()) {
      DrawnRequests.Statements changes =
          DrawnRequests.Statements.of(workload.changes(), connection);
      return new Writer(dataSource, ledger, lags, changes, settings.seed(), perSecond);
    }
  }

  private List<Asker> askers(Way way) throws SQLException {
    progress.at("starting what reads: " + way.kind().label(), 0);
    return way.askers(source, settings.traffic().readers(), ledger);
  }

  private List<Requests> streams() {
    List<Requests> streams = new ArrayList<>();
    for (int reader = 0; reader < settings.traffic().readers(); reader++) {
      streams.add(source.stream(reader));
    }
    return streams;
  }

  /** What the ways send: the statements, and what is asked to spare them. */
  private List<DatabaseWork.Sample> asSamples(List<Request> requests, Ways ways)
      throws SQLException {
    List<DatabaseWork.Sample> samples = new ArrayList<>();
    for (Request request : requests) {
      DatabaseWork.Sample whole = asSample(request);
      samples.add(whole);
      Optional<Verdict.Keepable> kept = ways.finest().keepable(request);
      if (kept.isPresent()) {
        samples.addAll(whole.instead(dataSource, kept.get()));
      }
    }
    return samples;
  }

  private static DatabaseWork.Sample asSample(Request request) {
    return new DatabaseWork.Sample(request.query().sql(), request.inputs());
  }

  /** Statements prepared, catalogue asked, classes loaded. Times the first direct read of each. */
  private Map<String, QueryFacts> prepare(List<Request> samples, Ways ways) throws SQLException {
    Map<String, Long> firstCalls = new LinkedHashMap<>();
    for (Request sample : samples) {
      progress.at("reading " + sample.query().label() + " for the first time", 0);
      for (Way way : ways.all()) {
        long began = System.nanoTime();
        way.read(sample);
        firstCalls.putIfAbsent(sample.query().label(), System.nanoTime() - began);
      }
    }
    Map<String, QueryFacts> facts = new LinkedHashMap<>();
    try (Connection connection = dataSource.getConnection()) { // one that has read by now
      for (Request sample : samples) {
        String label = sample.query().label();
        long firstCall = firstCalls.getOrDefault(label, 0L);
        Optional<String> refusal = ways.finest().refusal(sample);
        Optional<String> index = IndexAdvice.of(connection, asSample(sample));
        facts.put(label, new QueryFacts(firstCall, refusal, index));
      }
    }
    return facts;
  }

  /**
   * Lets the ways take turns for a time, each as often. Slow reads make rounds longer than they
   * should be; then there are fewer of them.
   */
  private void rounds(List<WayRun> runs, Duration time, String prefix, Writer writer)
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
        double share = (done + (double) i / runs.size()) / all;
        progress.at(prefix + run.way().kind().label(), share);
        run.round(nanos, () -> stopped);
        writer.throwIfFailed();
      }
    }
  }

  private static boolean isAtEnd(List<WayRun> runs) {
    return runs.stream().allMatch(WayRun::isAtEnd);
  }
}
