package dev.warmshelf.bench;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.Question;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.OwnJava;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.scenario.TroubledLine;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Shelf.WriteThrough;
import dev.warmshelf.trial.CommitLedger;
import java.io.BufferedReader;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.SplittableRandom;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.atomic.LongAdder;
import java.util.concurrent.locks.LockSupport;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * Readers, writers in this process and in another, changes of the schema now and then, and a fault
 * every 20 seconds, for as long as asked; then what was stale, and whether any of it would have
 * stayed: {@code java -cp ... dev.warmshelf.bench.LongRun [MINUTES]}, ten unless said otherwise.
 * Exit code 1 if anything was never invalidated, or was staler than the tolerance explains.
 *
 * <p>The other process prints each commit when it has returned; until this process has read that
 * line the commit counts as not yet returned, which makes a stale read younger than it was by the
 * time a pipe takes.
 */
public final class LongRun {
  private static final int SAILINGS = 40;
  private static final Duration TOLERANCE = Duration.ofSeconds(1);

  /** The hit path's clock is coarse, and the machine may be busy with other things. */
  private static final Duration SLACK = Duration.ofSeconds(1);

  private static final Duration FAULT_INTERVAL = Duration.ofSeconds(20);
  private static final String BUMP =
      "UPDATE sailing SET version = version + 1 WHERE id = :id RETURNING id, version";

  private final LocalPostgres server;
  private final TroubledLine line;
  private final HikariDataSource pool;
  private final ErrorSource errors;
  private final CommitLedger<Integer> ledger = new CommitLedger<>();
  private final LongAdder reads = new LongAdder();
  private final LongAdder failures = new LongAdder();
  private final LongAdder ownCommits = new LongAdder();
  private final LongAdder othersCommits = new LongAdder();
  private final LongAdder ownMissed = new LongAdder();
  private final AtomicLong worst = new AtomicLong();
  private final LongAdder stale = new LongAdder();

  /** One stale reading of each version: they share an entry, and so what became of it. */
  private final ConcurrentHashMap<Sailing, Reading<?>> staleVersions = new ConcurrentHashMap<>();

  private volatile boolean done;

  record Sailing(int id, long version) {}

  private LongRun(LocalPostgres server) {
    this.server = server;
    this.line = TroubledLine.to(server.port());
    PGSimpleDataSource troubled = server.dataSource("postgres");
    troubled.setPortNumbers(new int[] {line.port()});
    this.errors = new ErrorSource(troubled);
    HikariConfig config = new HikariConfig();
    config.setDataSource(server.dataSource("postgres"));
    config.setMaximumPoolSize(12);
    config.setInitializationFailTimeout(-1);
    this.pool = new HikariDataSource(config);
  }

  public static void main(String[] arguments) throws Exception {
    if (arguments.length > 0 && arguments[0].equals("writer")) {
      writeFromElsewhere(arguments[1]);
      return;
    }
    double minutes = arguments.length > 0 ? Double.parseDouble(arguments[0]) : 10;
    try (LocalPostgres server = LocalPostgres.start()) {
      SkerryLine.loadTiny(server.dataSource("postgres"));
      Journal.on(server.dataSource("postgres")).install(SkerryLine.FOLLOWED);
      LongRun run = new LongRun(server);
      boolean fine = run.run(Duration.ofSeconds((long) (minutes * 60)));
      System.exit(fine ? 0 : 1);
    }
  }

  private boolean run(Duration length) throws Exception {
    List<Thread> threads = new ArrayList<>();
    Process elsewhere = startWriterElsewhere();
    try (WarmShelf warm =
        WarmShelf.over(pool)
            .following(JournalFeed.on(errors))
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy.tolerating(TOLERANCE))
            .open()) {
      ShelvedQuery<Sailing> sailing =
          warm.query("SELECT id, version FROM sailing WHERE id = :id").as(Sailing.class);
      for (int i = 0; i < 3; i++) {
        int seed = i;
        threads.add(start("reader", () -> read(sailing, new SplittableRandom(seed))));
      }
      threads.add(start("writer", () -> write(warm, sailing)));
      threads.add(start("elsewhere", () -> listen(elsewhere)));
      inflictAll(length, warm);
      done = true;
      for (Thread thread : threads) {
        if (!thread.getName().equals("elsewhere")) {
          thread.join(TimeUnit.SECONDS.toMillis(30));
        }
      }
      return report(warm);
    } finally {
      done = true;
      elsewhere.destroyForcibly();
      pool.close();
      line.close();
    }
  }

  /** One fault after the other, for so long. */
  private void inflictAll(Duration length, WarmShelf warm) throws SQLException, IOException {
    long end = System.nanoTime() + length.toNanos();
    long nextFault = System.nanoTime() + FAULT_INTERVAL.toNanos();
    long nextReport = System.nanoTime() + TimeUnit.SECONDS.toNanos(10);
    for (int fault = 0; System.nanoTime() < end; ) {
      LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(200));
      if (System.nanoTime() > nextFault) {
        System.out.println("fault: " + inflict(fault++));
        awaitLive(warm);
        nextFault = System.nanoTime() + FAULT_INTERVAL.toNanos();
      }
      if (System.nanoTime() > nextReport) {
        System.out.println(progress(warm));
        nextReport += TimeUnit.SECONDS.toNanos(10);
      }
    }
  }

  private static void awaitLive(WarmShelf warm) {
    long began = System.nanoTime();
    while (warm.feedMeters().map(m -> m.state() != FeedMeters.State.LIVE).orElse(true)
        && System.nanoTime() - began < TimeUnit.SECONDS.toNanos(15)) {
      pause(20);
    }
  }

  /** Does it, and says what was done. */
  private String inflict(int fault) throws SQLException, IOException {
    switch (fault % 11) {
      case 0 -> {
        line.cut();
        pause(3_000);
        line.mend();
        return "the line was cut for 3 s";
      }
      case 1 -> {
        run("ALTER TABLE notice ADD COLUMN extra int; ALTER TABLE notice DROP COLUMN extra");
        return "a column was added and dropped";
      }
      case 2 -> {
        terminate("warm_shelf.journal", 1);
        return "the reader's backend was terminated";
      }
      case 3 -> {
        line.fallSilent();
        pause(4_000);
        line.mend();
        return "the line was silent for 4 s";
      }
      case 4, 5, 6 -> {
        return inflictOnServer(fault % 11);
      }
      default -> {
        return inflictOnFeed(fault % 11);
      }
    }
  }

  private String inflictOnServer(int fault) throws SQLException, IOException {
    if (fault == 4) {
      server.restart(LocalPostgres.Stop.FAST, () -> {});
      return "the server was stopped and started";
    } else if (fault == 5) {
      lock("warm_shelf.journal", 3_000);
      return "the journal was locked for 3 s";
    }
    server.restart(LocalPostgres.Stop.CRASH, () -> {});
    return "the server died and recovered";
  }

  private String inflictOnFeed(int fault) throws SQLException {
    if (fault == 7) {
      terminate("warm_shelf.", 40);
      return "the reader's backend was terminated 40 times, while others wrote";
    } else if (fault == 8) {
      lock("pg_catalog.pg_trigger", 4_000);
      return "the catalogue of triggers was locked for 4 s";
    } else if (fault == 9) {
      errors.fail(5);
      pause(2_000);
      return "errors were thrown into the feed's thread";
    }
    Journal.on(server.dataSource("postgres")).remove();
    Journal.on(server.dataSource("postgres")).install(SkerryLine.FOLLOWED);
    return "the journal was installed anew";
  }

  private void terminate(String asking, int times) throws SQLException {
    for (int i = 0; i < times; i++) {
      run(
          "SELECT pg_terminate_backend(pid) FROM pg_stat_activity"
              + " WHERE query LIKE '%"
              + asking
              + "%' AND pid <> pg_backend_pid()");
      pause(times == 1 ? 0 : 100);
    }
  }

  private void lock(String table, int millis) throws SQLException {
    try (Connection connection = server.dataSource("postgres").getConnection();
        Statement statement = connection.createStatement()) {
      connection.setAutoCommit(false);
      statement.execute("LOCK TABLE " + table + " IN ACCESS EXCLUSIVE MODE");
      pause(millis);
    }
  }

  private String progress(WarmShelf warm) {
    Meters.Snapshot meters = warm.shelf(WarmShelf.MAIN_SHELF).meters().snapshot();
    return String.format(
        Locale.ROOT,
        "%,d reads, hit ratio %.1f %%, %,d bypassed; %,d commits here, %,d elsewhere;"
            + " %,d stale, worst %.0f ms; feed %s",
        reads.sum(),
        100 * meters.hitRatio(),
        meters.bypassed(),
        ownCommits.sum(),
        othersCommits.sum(),
        stale.sum(),
        worst.get() / 1e6,
        warm.feedMeters().map(m -> m.state().toString()).orElse("none"));
  }

  private boolean report(WarmShelf warm) throws InterruptedException {
    pause(2_000); // for the feed to deliver what there still is
    long never = staleVersions.values().stream().filter(Reading::holdsStill).count();
    System.out.println();
    System.out.println(progress(warm));
    System.out.printf(
        Locale.ROOT,
        "stale reads: %,d late (of %,d versions), %,d versions never invalidated; worst age %.0f ms (tolerance %d ms); own commits"
            + " missed: %,d; reads that failed while the server was away: %,d%n",
        stale.sum(),
        staleVersions.size(),
        never,
        worst.get() / 1e6,
        TOLERANCE.toMillis(),
        ownMissed.sum(),
        failures.sum());
    FeedMeters.Snapshot feed = warm.feedMeters().orElseThrow();
    System.out.printf(
        Locale.ROOT,
        "feed: %,d looks, %,d changes, lost %d times, %d resets%n",
        feed.batches(),
        feed.changes(),
        feed.losses(),
        feed.resets());
    return never == 0 && ownMissed.sum() == 0 && worst.get() < TOLERANCE.plus(SLACK).toNanos();
  }

  private void read(ShelvedQuery<Sailing> sailing, SplittableRandom random) {
    while (!done) {
      int id = 1 + random.nextInt(SAILINGS);
      long began = System.nanoTime();
      try {
        Reading<Sailing> reading = sailing.with("id", id).only();
        reads.increment();
        ledger
            .staleness(id, reading.value().version(), began)
            .ifPresent(
                age -> {
                  if (reading.origin() == Origin.DIRECT) {
                    throw new IllegalStateException("a direct read was stale: " + reading);
                  }
                  worst.accumulateAndGet(age, Math::max);
                  stale.increment();
                  staleVersions.putIfAbsent(reading.value(), reading);
                });
      } catch (SQLException e) {
        failures.increment();
        pause(20);
      }
    }
  }

  /** Writes through the library, every other time keeping what the write returned. */
  private void write(WarmShelf warm, ShelvedQuery<Sailing> sailing) {
    for (int n = 0; !done; n++) {
      int id = 1 + n % SAILINGS;
      Question<Sailing> question = sailing.with("id", id);
      try {
        long version =
            warm.inTransaction(
                tx -> {
                  tx.write(BUMP).with("id", id).keep(question, WriteThrough.ANYWAY).run();
                  return question.within(tx).only().value().version();
                });
        long returned = System.nanoTime();
        ledger.committed(id, version, returned);
        ownCommits.increment();
        if (sailing.with("id", id).only().value().version() < version) {
          ownMissed.increment();
        }
      } catch (SQLException e) {
        failures.increment();
      }
      pause(10);
    }
  }

  private void listen(Process elsewhere) {
    try (BufferedReader lines = elsewhere.inputReader(StandardCharsets.US_ASCII)) {
      for (String text = lines.readLine(); text != null && !done; text = lines.readLine()) {
        int space = text.indexOf(' ');
        if (space > 0) {
          ledger.committed(
              Integer.parseInt(text.substring(0, space)),
              Long.parseLong(text.substring(space + 1)),
              System.nanoTime());
          othersCommits.increment();
        }
      }
    } catch (IOException | NumberFormatException e) {
      if (!done) {
        System.err.println("the other process stopped: " + e);
      }
    }
  }

  private Process startWriterElsewhere() throws IOException {
    return OwnJava.running(LongRun.class, "writer", server.url("postgres"))
        .redirectError(ProcessBuilder.Redirect.DISCARD)
        .start();
  }

  /** The other process: plain JDBC, and a line on standard output for each commit. */
  private static void writeFromElsewhere(String url) {
    SplittableRandom random = new SplittableRandom(7);
    while (true) {
      try (Connection connection = DriverManager.getConnection(url, "postgres", null);
          PreparedStatement update =
              connection.prepareStatement(
                  "UPDATE sailing SET version = version + 1 WHERE id = ? RETURNING version")) {
        while (true) {
          int id = 1 + random.nextInt(SAILINGS);
          update.setInt(1, id);
          try (ResultSet row = update.executeQuery()) {
            row.next();
            System.out.println(id + " " + row.getLong(1));
          }
          pause(5 + random.nextInt(20));
        }
      } catch (SQLException e) {
        pause(100); // the server is away
      }
    }
  }

  private void run(String sql) throws SQLException {
    try (Connection connection = server.dataSource("postgres").getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }

  private static Thread start(String name, Runnable work) {
    Thread thread = new Thread(work, name);
    thread.setDaemon(true);
    thread.start();
    return thread;
  }

  private static void pause(long millis) {
    LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(millis));
  }
}
