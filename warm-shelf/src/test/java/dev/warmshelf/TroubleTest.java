package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.LocalPostgres.Stop;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.scenario.TroubledLine;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.trial.CommitLedger;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.Comparator;
import java.util.List;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.locks.LockSupport;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * Trouble while readers read and a writer writes: afterwards no read missed a commit that was older
 * than the tolerance, and the feed is back.
 */
class TroubleTest {
  private static final Duration TOLERANCE = Duration.ofMillis(300);

  /** The clock that hits look at is coarse, and this machine may be busy. */
  private static final Duration SLACK = Duration.ofMillis(700);

  private static LocalPostgres server;

  private final CommitLedger<Integer> ledger = new CommitLedger<>();
  private final AtomicLong reads = new AtomicLong();
  private final AtomicLong worstNanos = new AtomicLong();
  private final List<Throwable> surprises = new CopyOnWriteArrayList<>();
  private final ConcurrentLinkedQueue<Reading<?>> stale = new ConcurrentLinkedQueue<>();
  private final List<Thread> threads = new CopyOnWriteArrayList<>();
  private volatile boolean done;
  private TroubledLine line;
  private WarmShelf warm;
  private ShelvedQuery<Long> version;

  @BeforeAll
  static void start() throws Exception {
    server = LocalPostgres.start();
    SkerryLine.loadTiny(server.dataSource("postgres"));
    Journal.on(server.dataSource("postgres")).install(SkerryLine.FOLLOWED);
  }

  @AfterAll
  static void stop() throws Exception {
    server.close();
  }

  @BeforeEach
  void traffic() throws Exception {
    line = TroubledLine.to(server.port());
    PGSimpleDataSource troubled = server.dataSource("postgres");
    troubled.setPortNumbers(new int[] {line.port()});
    warm =
        WarmShelf.over(server.dataSource("postgres"))
            .following(JournalFeed.on(troubled).polling(Duration.ofMillis(5)))
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy.tolerating(TOLERANCE))
            .open();
    version = warm.query("SELECT version FROM sailing WHERE id = :id").as(Long.class);
    start("reader", this::read);
    start("reader", this::read);
    start("writer", this::write);
    Waiting.until("there is traffic", () -> hits() > 200);
  }

  @AfterEach
  void end() throws Exception {
    done = true;
    for (Thread thread : threads) {
      thread.join(TimeUnit.SECONDS.toMillis(30));
    }
    warm.close();
    line.close();
  }

  @Test
  void theLineIsCut() throws Exception {
    line.cut();
    Waiting.until("the feed is lost", () -> state() == FeedMeters.State.LOST && bypassed() > 50);
    line.mend();
    nothingWasTooOld();
  }

  @Test
  void theLineFallsSilentWithoutEndingAnything() throws Exception {
    line.fallSilent();
    Waiting.until("nothing is served any more", () -> bypassed() > 50);
    line.mend();
    nothingWasTooOld();
  }

  @Test
  void theLineIsSlow() throws Exception {
    line.delay(60);
    long before = warm.feedMeters().orElseThrow().batches();
    Waiting.until(
        "the feed looks over the slow line",
        () -> warm.feedMeters().orElseThrow().batches() > before + 10);
    line.mend();
    nothingWasTooOld();
  }

  @Tag("thorough")
  @Test
  void theLineIsCutInTheMiddleOfAnAnswer() throws Exception {
    for (long bytes : List.of(1L, 20L, 400L, 5_000L)) {
      long losses = warm.feedMeters().orElseThrow().losses();
      line.cutAfter(bytes);
      Waiting.until("the feed is lost", () -> warm.feedMeters().orElseThrow().losses() > losses);
      line.mend();
      Waiting.until("the feed is back", () -> state() == FeedMeters.State.LIVE);
    }
    nothingWasTooOld();
  }

  @Test
  void theReadersBackendIsTerminated() throws Exception {
    for (int i = 0; i < 5; i++) {
      run(
          "SELECT pg_terminate_backend(pid) FROM pg_stat_activity"
              + " WHERE query LIKE '%warm_shelf.journal%' AND pid <> pg_backend_pid()");
      Waiting.untilDelivered(warm);
    }
    nothingWasTooOld();
  }

  @Test
  void theJournalIsLockedForAWhile() throws Exception {
    try (Connection connection = server.dataSource("postgres").getConnection();
        Statement statement = connection.createStatement()) {
      connection.setAutoCommit(false);
      statement.execute("LOCK TABLE warm_shelf.journal IN ACCESS EXCLUSIVE MODE");
      Waiting.until("nothing is served any more", () -> bypassed() > 50);
    }
    nothingWasTooOld();
  }

  @Tag("thorough")
  @Test
  void theServerIsStoppedAndStarted() throws Exception {
    server.restart(Stop.FAST, () -> {});
    nothingWasTooOld();
    assertThat(warm.feedMeters().orElseThrow().resets())
        .as("it may have lost commits that were not on disk yet")
        .isEqualTo(1);
  }

  @Tag("thorough")
  @Test
  void theServerDiesAndRecovers() throws Exception {
    server.restart(Stop.CRASH, () -> {});
    nothingWasTooOld();
  }

  @Tag("thorough")
  @Test
  void aStandbyIsNotFollowedAndOnePromotedIsFollowedAnew() throws Exception {
    stopTraffic();
    version.with("id", 1).only();
    String timeline = ask("SELECT left(pg_walfile_name(pg_current_wal_lsn()), 8)");
    Path signal = server.directory().resolve("data").resolve("standby.signal");
    server.restart(Stop.FAST, () -> write(signal));
    Waiting.until("the feed is lost", () -> state() == FeedMeters.State.LOST);
    assertThat(ask("SELECT pg_is_in_recovery()")).isEqualTo("t");
    run("SELECT pg_promote()");
    Waiting.until("the feed is back", () -> state() == FeedMeters.State.LIVE);
    assertThat(ask("SELECT left(pg_walfile_name(pg_current_wal_lsn()), 8)")).isNotEqualTo(timeline);
    assertThat(warm.feedMeters().orElseThrow().resets()).isPositive();
    assertThat(version.with("id", 1).only().origin()).isEqualTo(Origin.LOADED);
  }

  private static void write(Path empty) {
    try {
      Files.createFile(empty);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  @Tag("thorough")
  @Test
  void aCommitThatTheServerLosesInACrashDoesNotStay() throws Exception {
    stopTraffic();
    server.restart(Stop.FAST, () -> {}); // all there was is on disk
    long before = Long.parseLong(ask("SELECT version FROM sailing WHERE id = 1"));
    run("SET synchronous_commit = off; UPDATE sailing SET version = version + 1000 WHERE id = 1");
    Waiting.untilDelivered(warm);
    assertThat(version.with("id", 1).only().value()).isEqualTo(before + 1_000);
    long resets = warm.feedMeters().orElseThrow().resets();
    server.restart(Stop.CRASH, () -> {});
    Waiting.until("the feed notices", () -> warm.feedMeters().orElseThrow().resets() > resets);
    assertThat(version.with("id", 1).only().value())
        .isEqualTo(Long.parseLong(ask("SELECT version FROM sailing WHERE id = 1")));
  }

  @Tag("thorough")
  @Test
  void aCopyOfTheDatabaseFromBeforeIsPutBack(@TempDir Path backup) throws Exception {
    stopTraffic();
    Path data = server.directory().resolve("data");
    server.restart(Stop.FAST, () -> copy(data, backup.resolve("data")));
    Waiting.until("the feed is live", () -> state() == FeedMeters.State.LIVE);
    for (int i = 0; i < 20; i++) {
      run("UPDATE sailing SET version = version + 1 WHERE id = 1");
    }
    Waiting.untilDelivered(warm);
    long newest = version.with("id", 1).only().value();
    assertThat(version.with("id", 1).only().origin()).isEqualTo(Origin.KEPT);
    server.restart(
        Stop.FAST,
        () -> {
          delete(data);
          copy(backup.resolve("data"), data);
        });
    Waiting.until(
        "the feed notices",
        () -> warm.feedMeters().orElseThrow().resets() > 0 && state() == FeedMeters.State.LIVE);
    assertThat(version.with("id", 1).only().value()).isEqualTo(newest - 20);
  }

  private static void copy(Path from, Path to) {
    try (Stream<Path> tree = Files.walk(from)) {
      for (Path path : tree.toList()) {
        Files.copy(
            path, to.resolve(from.relativize(path).toString()), StandardCopyOption.COPY_ATTRIBUTES);
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private static void delete(Path directory) {
    try (Stream<Path> tree = Files.walk(directory)) {
      for (Path path : tree.sorted(Comparator.reverseOrder()).toList()) {
        Files.delete(path);
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  @Tag("thorough")
  @Test
  void triggersDisabledForAMomentAreNoticedThoughNobodyTellsOfIt() throws Exception {
    stopTraffic();
    for (String each : List.of("begin", "schema", "drop")) {
      run("DROP EVENT TRIGGER warm_shelf_" + each);
    }
    Waiting.untilDelivered(warm);
    version.with("id", 1).only();
    run(
        "ALTER TABLE sailing DISABLE TRIGGER warm_shelf_update;"
            + "UPDATE sailing SET version = 1000000 WHERE id = 1;"
            + "ALTER TABLE sailing ENABLE ALWAYS TRIGGER warm_shelf_update");
    Waiting.until(
        "the value is read anew", () -> version.with("id", 1).only().value() == 1_000_000);
    run("ALTER TABLE sailing DISABLE TRIGGER warm_shelf_update");
    Waiting.until(
        "the table is not followed",
        () -> version.with("id", 1).only().bypass().orElse("").contains("sailing"));
    Journal.on(server.dataSource("postgres")).upgrade();
    Waiting.until(
        "it is followed again", () -> version.with("id", 1).only().origin() == Origin.KEPT);
  }

  private void nothingWasTooOld() throws Exception {
    Waiting.until("the feed is live", () -> state() == FeedMeters.State.LIVE);
    long hits = hits();
    Waiting.until("answers are served again", () -> hits() > hits + 200);
    stopTraffic();
    Waiting.untilDelivered(warm);
    assertThat(surprises).isEmpty();
    assertThat(stale)
        .as("every stale answer has been invalidated since")
        .noneMatch(Reading::holdsStill);
    assertThat(Duration.ofNanos(worstNanos.get())).isLessThan(TOLERANCE.plus(SLACK));
    for (int id = 1; id <= 10; id++) {
      assertThat(version.with("id", id).only().value())
          .isEqualTo(Long.parseLong(ask("SELECT version FROM sailing WHERE id = " + id)));
    }
  }

  private void stopTraffic() throws InterruptedException {
    done = true;
    for (Thread thread : threads) {
      thread.join(TimeUnit.SECONDS.toMillis(30));
    }
  }

  private void read() {
    for (int id = 1; !done; id = 1 + id % 10) {
      long began = System.nanoTime();
      try {
        Reading<Long> reading = version.with("id", id).only();
        reads.incrementAndGet();
        ledger
            .staleness(id, reading.value(), began)
            .ifPresent(
                age -> {
                  worstNanos.accumulateAndGet(age, Math::max);
                  stale.add(reading);
                });
      } catch (SQLException e) {
        LockSupport.parkNanos(
            100_000); // the database is away, and a reader that must ask it finds out
      } catch (RuntimeException e) {
        surprises.add(e);
        return;
      }
    }
  }

  private void write() {
    while (!done) {
      try (Connection connection = server.dataSource("postgres").getConnection();
          PreparedStatement statement =
              connection.prepareStatement(
                  "UPDATE sailing SET version = version + 1 WHERE id = ? RETURNING version")) {
        statement.execute("SET lock_timeout = '20s'");
        for (int id = 1; !done; id = 1 + id % 10) {
          statement.setInt(1, id);
          try (ResultSet row = statement.executeQuery()) {
            row.next();
            ledger.committed(id, row.getLong(1), System.nanoTime());
          }
          long seen = reads.get();
          while (reads.get() < seen + 300 && !done) {
            LockSupport.parkNanos(100_000);
          }
        }
      } catch (SQLException e) {
        LockSupport.parkNanos(100_000); // the database is away
      }
    }
  }

  private FeedMeters.State state() {
    return warm.feedMeters().orElseThrow().state();
  }

  private long hits() {
    return meters().get(Count.HITS);
  }

  private long bypassed() {
    return meters().bypassed();
  }

  private Meters.Snapshot meters() {
    return warm.shelf(WarmShelf.MAIN_SHELF).meters().snapshot();
  }

  private void start(String name, Runnable work) {
    Thread thread = new Thread(work, name);
    thread.setDaemon(true);
    threads.add(thread);
    thread.start();
  }

  private static void run(String sql) throws SQLException {
    try (Connection connection = server.dataSource("postgres").getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }

  private static String ask(String sql) throws SQLException {
    try (Connection connection = server.dataSource("postgres").getConnection();
        Statement statement = connection.createStatement();
        ResultSet row = statement.executeQuery(sql)) {
      row.next();
      return row.getString(1);
    }
  }
}
