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
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import org.HdrHistogram.Histogram;

/**
 * What the journal costs a writer, and how long a change takes to reach the board. Whole operations
 * on a real server, in one run: {@code java -cp ... dev.warmshelf.bench.JournalCost}.
 */
public final class JournalCost {
  private static final int ROUNDS = 60;
  private static final int WARM_UP_ROUNDS = 5;
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
          statement.execute("CREATE TABLE " + table + "_many (LIKE notice INCLUDING ALL)");
          statement.execute("INSERT INTO " + table + "_many SELECT * FROM notice");
          statement.execute("UPDATE " + table + "_many SET port_id = id % 100");
        }
      }
    }
    Journal.on(pool).wakingReaders().install(List.of("woken:port_id"));
    Journal.on(pool)
        .install(
            List.of(
                "whole", "apart:port_id", "notice:port_id", "whole_many", "apart_many:port_id"));
    try (Connection connection = pool.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("SELECT warm_shelf.reader_is_here()"); // else nothing is noted
    }
  }

  private static void cost(HikariDataSource pool) throws SQLException {
    print(
        "An update of one row by its key, a transaction of its own, fsync off:",
        times(
            pool,
            "UPDATE %s SET version = version + 1 WHERE id = ?",
            List.of("plain", "whole", "apart", "woken"),
            UPDATES_PER_ROUND));
    print(
        "The same of 100 rows, each of which moves from one group to another, 200 groups in all:",
        times(
            pool,
            "UPDATE %s SET port_id = (port_id + 100) %% 200 WHERE id BETWEEN 1 AND 100 AND ? > 0",
            List.of("plain_many", "whole_many", "apart_many"),
            UPDATES_PER_ROUND / 10));
  }

  /** By table, in rounds, so that they share what the machine does beside. */
  private static Map<String, Histogram> times(
      HikariDataSource pool, String sql, List<String> tables, int updates) throws SQLException {
    Map<String, Histogram> times = new LinkedHashMap<>();
    tables.forEach(table -> times.put(table, new Histogram(3)));
    try (Connection connection = pool.getConnection()) {
      connection.setAutoCommit(true);
      for (int round = -WARM_UP_ROUNDS; round < ROUNDS; round++) {
        for (Map.Entry<String, Histogram> each : times.entrySet()) {
          try (PreparedStatement update =
              connection.prepareStatement(sql.formatted(each.getKey()))) {
            for (int n = 0; n < updates; n++) {
              update.setInt(1, 1 + n);
              long began = System.nanoTime();
              update.executeUpdate();
              if (round >= 0) {
                each.getValue().recordValue(System.nanoTime() - began);
              }
            }
          }
        }
      }
    }
    return times;
  }

  private static void print(String what, Map<String, Histogram> times) {
    System.out.println(what);
    long plain = times.values().iterator().next().getValueAtPercentile(50);
    times.forEach(
        (table, took) ->
            System.out.printf(
                Locale.ROOT,
                "  %-10s  p50 %5d us  p95 %5d us   %.2f x the first at the median%n",
                table,
                took.getValueAtPercentile(50) / 1_000,
                took.getValueAtPercentile(95) / 1_000,
                (double) took.getValueAtPercentile(50) / plain));
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
