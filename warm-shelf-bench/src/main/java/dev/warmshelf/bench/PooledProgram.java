package dev.warmshelf.bench;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.shelf.Rule;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Random;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import javax.sql.DataSource;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * A plain program of ten threads on a pool, with shelves beneath and without, in turns: {@code java
 * -cp ... dev.warmshelf.bench.PooledProgram [SECONDS [N]]} for each turn, 3 unless said otherwise,
 * and for one unit in N that writes alone. A unit of work reads a branch's accounts, or adds up all
 * branches of a region; or it moves money within a branch in a transaction, and reads it before and
 * after. After each commit the program looks whether it sees what it wrote.
 */
public final class PooledProgram {
  private static final int THREADS = 10;
  private static final int BRANCHES = 200;
  private static final int ACCOUNTS = 10;
  private static final int TURNS = 2;
  private static final int REGION = 50;
  private static final String SUM =
      "SELECT branch, sum(balance), max(id) FROM account WHERE branch BETWEEN ? AND ?"
          + " GROUP BY branch ORDER BY branch";
  private static final String READ = "SELECT id, balance FROM account WHERE branch = ? ORDER BY id";
  private static final String MOVE =
      "UPDATE account SET balance = balance + CASE WHEN id = ? THEN 1 ELSE -1 END WHERE id IN (?, ?)";

  private PooledProgram() {}

  /**
   * What the program does.
   *
   * @param sums whether it adds up regions, or reads branches
   * @param everyNth one unit in so many writes
   */
  private record Work(boolean sums, int everyNth) {
    String inWords() {
      return "%-8s   1 in %-5d".formatted(sums ? "regions" : "branches", everyNth);
    }
  }

  /** What came of a turn. */
  private record Turn(double perSecond, long missed) {}

  public static void main(String[] arguments) throws Exception {
    int seconds = arguments.length > 0 ? Integer.parseInt(arguments[0]) : 3;
    int[] rates =
        arguments.length > 1
            ? new int[] {Integer.parseInt(arguments[1])}
            : new int[] {10, 100, 1_000};
    try (LocalPostgres server = LocalPostgres.start()) {
      PGSimpleDataSource source = server.dataSource("postgres");
      try (Connection connection = source.getConnection();
          Statement statement = connection.createStatement()) {
        statement.execute(
            "CREATE TABLE account AS SELECT i AS id, (i - 1) / "
                + ACCOUNTS
                + " AS branch, 0 AS balance FROM generate_series(1, "
                + BRANCHES * ACCOUNTS
                + ") i");
        statement.execute("ALTER TABLE account ADD PRIMARY KEY (id)");
        statement.execute("CREATE INDEX ON account (branch)");
        statement.execute("VACUUM ANALYZE account");
      }
      Journal.on(source).install(List.of("account:branch"));
      System.out.println(
          "reads      writes    pool   plain, per s   shelves, per s   times   commits missed  "
              + " that waited");
      for (boolean sums : new boolean[] {false, true}) {
        for (int everyNth : rates) {
          for (int size : new int[] {1, 2, 10}) {
            compare(source, new Work(sums, everyNth), size, seconds);
          }
        }
      }
    }
  }

  private static void compare(PGSimpleDataSource source, Work work, int size, int seconds)
      throws Exception {
    HikariConfig config = new HikariConfig();
    config.setDataSource(source);
    config.setMaximumPoolSize(size);
    try (HikariDataSource pool = new HikariDataSource(config);
        WarmShelf warm =
            WarmShelf.over(pool)
                .following(JournalFeed.on(source))
                .keeping(Rule.ofTablesAmong("account"))
                .open()) {
      DataSource wrapped = warm.dataSource();
      turn(pool, work, 1);
      turn(wrapped, work, 1);
      double plain = 0;
      double kept = 0;
      long missed = 0;
      for (int i = 0; i < TURNS; i++) {
        plain += turn(pool, work, seconds).perSecond() / TURNS;
        Turn turn = turn(wrapped, work, seconds);
        kept += turn.perSecond() / TURNS;
        missed += turn.missed();
      }
      System.out.printf(
          Locale.ROOT,
          "%s   %4d   %12.0f   %14.0f   %5.2f   %14d   %11.1f %%%n",
          work.inWords(),
          size,
          plain,
          kept,
          kept / plain,
          missed,
          waited(warm));
    }
  }

  /** Of a hundred commits so many have waited for the feed. */
  private static double waited(WarmShelf warm) {
    FeedMeters.Commits commits = warm.feedMeters().orElseThrow().commits();
    return 100.0 * commits.waited() / Math.max(1, commits.waited() + commits.told());
  }

  private static Turn turn(DataSource source, Work work, int seconds) throws Exception {
    AtomicLong done = new AtomicLong();
    AtomicLong missed = new AtomicLong();
    long end = System.nanoTime() + TimeUnit.SECONDS.toNanos(seconds);
    ExecutorService threads = Executors.newFixedThreadPool(THREADS);
    List<Future<Void>> all = new ArrayList<>();
    for (int thread = 0; thread < THREADS; thread++) {
      Random random = new Random(thread);
      int own = thread; // the branches that nobody else writes to
      all.add(
          threads.submit(
              () -> {
                while (System.nanoTime() < end) {
                  if (random.nextInt(work.everyNth()) == 0) {
                    int branch = own + THREADS * random.nextInt(BRANCHES / THREADS);
                    missed.addAndGet(move(source, branch, random) ? 0 : 1);
                  } else if (work.sums()) {
                    sum(source, random.nextInt(BRANCHES - REGION));
                  } else {
                    read(source, random.nextInt(BRANCHES));
                  }
                  done.incrementAndGet();
                }
                return null;
              }));
    }
    for (Future<Void> each : all) {
      each.get();
    }
    threads.shutdown();
    return new Turn((double) done.get() / seconds, missed.get());
  }

  private static List<Integer> read(DataSource source, int branch) throws SQLException {
    try (Connection connection = source.getConnection()) {
      return read(connection, branch);
    }
  }

  private static List<Integer> read(Connection connection, int branch) throws SQLException {
    List<Integer> balances = new ArrayList<>();
    try (PreparedStatement statement = connection.prepareStatement(READ)) {
      statement.setInt(1, branch);
      try (ResultSet result = statement.executeQuery()) {
        while (result.next()) {
          balances.add(result.getInt("balance"));
        }
      }
    }
    return balances;
  }

  private static long sum(DataSource source, int from) throws SQLException {
    long sum = 0;
    try (Connection connection = source.getConnection();
        PreparedStatement statement = connection.prepareStatement(SUM)) {
      statement.setInt(1, from);
      statement.setInt(2, from + REGION);
      try (ResultSet result = statement.executeQuery()) {
        while (result.next()) {
          sum += result.getLong(2);
        }
      }
    }
    return sum;
  }

  /** Moves one from an account to the next; whether a read after it shows that. */
  private static boolean move(DataSource source, int branch, Random random) throws SQLException {
    int from = random.nextInt(ACCOUNTS - 1);
    int first = branch * ACCOUNTS + 1 + from;
    List<Integer> before;
    try (Connection connection = source.getConnection()) {
      connection.setAutoCommit(false);
      before = read(connection, branch);
      try (PreparedStatement statement = connection.prepareStatement(MOVE)) {
        statement.setInt(1, first + 1);
        statement.setInt(2, first);
        statement.setInt(3, first + 1);
        statement.executeUpdate();
      }
      connection.commit();
    }
    List<Integer> after = read(source, branch);
    return after.get(from) == before.get(from) - 1
        && after.get(from + 1) == before.get(from + 1) + 1;
  }
}
