package dev.warmshelf.bench;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.Scale;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.shelf.Reading;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Locale;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import org.HdrHistogram.Histogram;

/**
 * What the journal costs a writer, and how long a change takes to reach the board. Whole operations
 * on a real server, in one run: {@code java -cp ... dev.warmshelf.bench.JournalCost}.
 */
public final class JournalCost {
  private static final int ROUNDS = 60;
  private static final int UPDATES_PER_ROUND = 200;
  private static final int LAG_SAMPLES = 400;
  private static final long WRITE_NANOS = TimeUnit.SECONDS.toNanos(1) / 200;

  private JournalCost() {}

  public static void main(String[] arguments) throws Exception {
    try (LocalPostgres server = LocalPostgres.start()) {
      HikariConfig config = new HikariConfig();
      config.setDataSource(server.dataSource("postgres"));
      config.setMaximumPoolSize(8);
      try (HikariDataSource pool = new HikariDataSource(config)) {
        prepare(pool);
        cost(pool);
        lag(pool);
      }
    }
  }

  private static void prepare(HikariDataSource pool) throws SQLException {
    try (Connection connection = pool.getConnection()) {
      SkerryLine.load(connection, Scale.TINY, (table, done, all) -> {});
      try (Statement statement = connection.createStatement()) {
        for (String table : List.of("plain", "whole", "apart", "woken")) {
          statement.execute("CREATE TABLE " + table + " (LIKE notice INCLUDING ALL)");
          statement.execute("INSERT INTO " + table + " SELECT * FROM notice");
        }
      }
    }
    Journal.on(pool).wakingReaders().install(List.of("woken:port_id"));
    Journal.on(pool).install(List.of("whole", "apart:port_id", "notice:port_id"));
    try (Connection connection = pool.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("SELECT warm_shelf.reader_is_here()"); // else nothing is noted
    }
  }

  private static void cost(HikariDataSource pool) throws SQLException {
    List<String> tables = List.of("plain", "whole", "apart", "woken");
    List<Histogram> times = new ArrayList<>();
    tables.forEach(table -> times.add(new Histogram(3)));
    try (Connection connection = pool.getConnection()) {
      connection.setAutoCommit(true);
      for (int round = -5; round < ROUNDS; round++) {
        for (int i = 0; i < tables.size(); i++) {
          try (PreparedStatement update =
              connection.prepareStatement(
                  "UPDATE " + tables.get(i) + " SET version = version + 1 WHERE id = ?")) {
            for (int n = 0; n < UPDATES_PER_ROUND; n++) {
              update.setInt(1, 1 + n);
              long began = System.nanoTime();
              update.executeUpdate();
              if (round >= 0) {
                times.get(i).recordValue(System.nanoTime() - began);
              }
            }
          }
        }
      }
    }
    System.out.println("An update of one row by its key, a transaction of its own, fsync off:");
    for (int i = 0; i < tables.size(); i++) {
      System.out.printf(
          Locale.ROOT,
          "  %-6s  p50 %4d us  p95 %4d us   %+d us at the median%n",
          tables.get(i),
          times.get(i).getValueAtPercentile(50) / 1_000,
          times.get(i).getValueAtPercentile(95) / 1_000,
          (times.get(i).getValueAtPercentile(50) - times.get(0).getValueAtPercentile(50)) / 1_000);
    }
  }

  private static void lag(HikariDataSource pool) throws Exception {
    Thread writer = new Thread(() -> write(pool));
    writer.setDaemon(true);
    Histogram lags = new Histogram(3);
    try (WarmShelf warm = WarmShelf.over(pool).following(JournalFeed.on(pool)).open();
        Connection connection = pool.getConnection();
        PreparedStatement update =
            connection.prepareStatement("UPDATE notice SET version = version + 1 WHERE id = 1")) {
      ShelvedQuery<Long> version =
          warm.query("SELECT sum(version) FROM notice WHERE port_id = :port").as(Long.class);
      int port;
      try (Statement statement = connection.createStatement();
          var row = statement.executeQuery("SELECT port_id FROM notice WHERE id = 1")) {
        row.next();
        port = row.getInt(1);
      }
      writer.start();
      for (int i = 0; i < LAG_SAMPLES; i++) {
        Reading<Long> reading = version.with("port", port).only();
        LockSupport.parkNanos(TimeUnit.MICROSECONDS.toNanos(1_000 + 137L * (i % 100)));
        update.executeUpdate();
        long returned = System.nanoTime();
        while (reading.holdsStill()) {
          LockSupport.parkNanos(50_000);
        }
        lags.recordValue(Math.max(0, System.nanoTime() - returned));
      }
      writer.interrupt();
    }
    System.out.printf(
        Locale.ROOT,
        "A commit until the board knew, at 200 other commits a second, polling every %d ms:%n"
            + "  p50 %.1f ms  p95 %.1f ms  p99 %.1f ms  max %.1f ms%n",
        JournalFeed.DEFAULT_INTERVAL.toMillis(),
        lags.getValueAtPercentile(50) / 1e6,
        lags.getValueAtPercentile(95) / 1e6,
        lags.getValueAtPercentile(99) / 1e6,
        lags.getMaxValue() / 1e6);
  }

  private static void write(HikariDataSource pool) {
    List<Integer> ids = new ArrayList<>();
    for (int id = 100; id < 2_000; id++) {
      ids.add(id);
    }
    Collections.shuffle(ids, new java.util.Random(1));
    try (Connection connection = pool.getConnection();
        PreparedStatement update =
            connection.prepareStatement("UPDATE apart SET version = version + 1 WHERE id = ?")) {
      long next = System.nanoTime();
      for (int i = 0; !Thread.currentThread().isInterrupted(); i++) {
        update.setInt(1, ids.get(i % ids.size()));
        update.executeUpdate();
        next += WRITE_NANOS;
        while (System.nanoTime() < next && !Thread.currentThread().isInterrupted()) {
          LockSupport.parkNanos(next - System.nanoTime());
        }
      }
    } catch (SQLException e) {
      System.err.println("the writer stopped: " + e.getMessage());
    }
  }
}
