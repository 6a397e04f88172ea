package dev.warmshelf.bench;

import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.Timings;
import dev.warmshelf.scenario.LocalPostgres;
import java.io.IOException;
import java.lang.management.ManagementFactory;
import java.lang.management.ThreadInfo;
import java.lang.management.ThreadMXBean;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * How far a feed's watermark lags when much is followed, and when writers stay open beside many
 * rows of the journal: {@code java -cp ... dev.warmshelf.bench.FeedCost [TABLES [ROWS]]}, 10,000
 * tables and 1,000,000 rows unless said otherwise. A change is made every 5 ms meanwhile. First,
 * what following costs while nothing changes: of the feed's thread here, and of its session on the
 * server, as far as the system tells that.
 */
public final class FeedCost {
  private static final int WRITERS = 20;
  private static final int TABLES_A_TRANSACTION = 200;
  private static final int SECONDS = 10;

  private FeedCost() {}

  public static void main(String[] arguments) throws Exception {
    int tables = arguments.length > 0 ? Integer.parseInt(arguments[0]) : 1_000;
    int rows = arguments.length > 1 ? Integer.parseInt(arguments[1]) : 1_000_000;
    try (LocalPostgres server = LocalPostgres.start()) {
      PGSimpleDataSource source = server.dataSource("postgres");
      run(source, "CREATE TABLE busy (id int PRIMARY KEY, n int); INSERT INTO busy VALUES (1, 0)");
      run(source, "CREATE TABLE held (id int PRIMARY KEY, n int)");
      run(source, "INSERT INTO held SELECT i, 0 FROM generate_series(1, " + WRITERS + ") i");
      Journal.on(source).install(List.of("busy:id", "held:id"));
      idle(source);
      measure(source, "2 tables");
      follow(source, tables);
      measure(source, String.format(Locale.ROOT, "%,d tables", tables));
      Journal.on(source).remove();
      Journal.on(source).install(List.of("busy:id", "held:id"));
      besideOpenWriters(source, rows);
    }
  }

  /** Processor time while nothing changes, of a second. */
  private static void idle(PGSimpleDataSource source) throws Exception {
    JournalFeed feed = JournalFeed.on(source);
    try (WarmShelf warm = WarmShelf.over(source).following(feed).open()) {
      LockSupport.parkNanos(TimeUnit.SECONDS.toNanos(2 * SECONDS)); // compiled, and at rest
      List<Long> sessions = sessions(source);
      long looks = feed.meters().snapshot().batches();
      long own = feedNanos();
      long servers = serverNanos(sessions);
      long began = System.nanoTime();
      LockSupport.parkNanos(TimeUnit.SECONDS.toNanos(2 * SECONDS));
      double took = System.nanoTime() - began;
      System.out.printf(
          Locale.ROOT,
          "%-36s %.2f %% of a processor here, %s on the server; %.0f looks a second%n",
          "nothing changes",
          100 * (feedNanos() - own) / took,
          servers < 0
              ? "not measured"
              : String.format(
                  Locale.ROOT, "%.2f %%", 100 * (serverNanos(sessions) - servers) / took),
          (feed.meters().snapshot().batches() - looks) / took * 1e9);
      if (warm.feedMeters().orElseThrow().state() != FeedMeters.State.LIVE) {
        throw new IllegalStateException("The feed is not live: " + warm.feedMeters());
      }
    }
  }

  private static long feedNanos() {
    ThreadMXBean threads = ManagementFactory.getThreadMXBean();
    long nanos = 0;
    for (ThreadInfo thread : threads.getThreadInfo(threads.getAllThreadIds())) {
      if (thread != null && thread.getThreadName().startsWith("warm-shelf-")) {
        nanos += threads.getThreadCpuTime(thread.getThreadId());
      }
    }
    return nanos;
  }

  private static List<Long> sessions(PGSimpleDataSource source) throws SQLException {
    List<Long> sessions = new ArrayList<>();
    try (Connection connection = source.getConnection();
        Statement statement = connection.createStatement();
        ResultSet row =
            statement.executeQuery(
                "SELECT pid FROM pg_stat_activity WHERE backend_type = 'client backend'"
                    + " AND pid <> pg_backend_pid()")) {
      while (row.next()) {
        sessions.add(row.getLong(1));
      }
    }
    return sessions;
  }

  /** What the server's processes have used, by proc(5); -1 where there is none. */
  private static long serverNanos(List<Long> processes) {
    long nanos = 0;
    for (long process : processes) {
      try {
        String stat = Files.readString(Path.of("/proc/" + process + "/schedstat"));
        nanos += Long.parseLong(stat.substring(0, stat.indexOf(' ')));
      } catch (IOException e) {
        return -1;
      }
    }
    return nanos;
  }

  private static void follow(PGSimpleDataSource source, int tables) throws SQLException {
    for (int from = 0; from < tables; from += TABLES_A_TRANSACTION) {
      List<String> names = new ArrayList<>();
      StringBuilder create = new StringBuilder();
      for (int i = from; i < Math.min(tables, from + TABLES_A_TRANSACTION); i++) {
        names.add("t" + i + ":id");
        create.append("CREATE TABLE t").append(i).append(" (id int, a text, b date, c numeric);");
      }
      run(source, create.toString());
      Journal.on(source).install(names);
    }
  }

  private static void besideOpenWriters(PGSimpleDataSource source, int rows) throws Exception {
    List<Connection> writers = new ArrayList<>();
    try (WarmShelf warm = WarmShelf.over(source).following(JournalFeed.on(source)).open()) {
      for (int i = 1; i <= WRITERS; i++) {
        Connection writer = source.getConnection();
        writers.add(writer);
        writer.setAutoCommit(false);
        try (Statement statement = writer.createStatement()) {
          statement.execute("UPDATE held SET n = 1 WHERE id = " + i);
        }
      }
      run(
          source,
          "INSERT INTO warm_shelf.journal (lane, kind) SELECT '\"public\".\"busy\"', 'UPDATE'"
              + " FROM generate_series(1, "
              + rows
              + ")");
      measure(source, String.format(Locale.ROOT, "%d open writers, %,d rows since", WRITERS, rows));
      if (warm.feedMeters().orElseThrow().state() != FeedMeters.State.LIVE) {
        throw new IllegalStateException("The feed is not live: " + warm.feedMeters());
      }
    } finally {
      for (Connection writer : writers) {
        writer.close();
      }
    }
  }

  /** Steps from one watermark to the next, while something changes every few milliseconds. */
  private static void measure(PGSimpleDataSource source, String what) throws Exception {
    JournalFeed feed = JournalFeed.on(source);
    try (WarmShelf warm = WarmShelf.over(source).following(feed).open();
        Connection connection = source.getConnection();
        Statement statement = connection.createStatement()) {
      LockSupport.parkNanos(TimeUnit.SECONDS.toNanos(1)); // what comes once, comes first
      Timings before = feed.meters().steps().copy();
      long end = System.nanoTime() + TimeUnit.SECONDS.toNanos(SECONDS);
      while (System.nanoTime() < end) {
        statement.execute("UPDATE busy SET n = n + 1 WHERE id = 1");
        LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(5));
      }
      Timings steps = feed.meters().steps().since(before);
      System.out.printf(
          Locale.ROOT,
          "%-36s watermark steps: median %.1f ms, 99 %% %.1f ms, longest %.1f ms; %,d looks%n",
          what,
          steps.nanosAt(50) / 1e6,
          steps.nanosAt(99) / 1e6,
          steps.mostNanos() / 1e6,
          steps.count());
    }
  }

  private static void run(PGSimpleDataSource source, String sql) throws SQLException {
    try (Connection connection = source.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }
}
