package dev.warmshelf.bench;

import dev.warmshelf.journal.Journal;
import dev.warmshelf.scenario.LocalPostgres;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.SplittableRandom;
import javax.sql.DataSource;

/**
 * How long a writer of all tables waits while the journal is installed on them, upgraded and
 * removed. Arguments: how many tables, 400 if not said.
 */
public final class InstallStall {
  private final DataSource database;
  private final int tables;
  private volatile boolean stopped;

  /** Of the writes since this was asked for last. */
  private final List<Long> nanos = new ArrayList<>();

  private InstallStall(DataSource database, int tables) {
    this.database = database;
    this.tables = tables;
  }

  private interface Step {
    void run() throws SQLException;
  }

  public static void main(String[] arguments) throws Exception {
    int tables = arguments.length == 0 ? 400 : Integer.parseInt(arguments[0]);
    try (LocalPostgres server = LocalPostgres.start()) {
      new InstallStall(server.dataSource("postgres"), tables).run();
    }
  }

  private void run() throws Exception {
    List<String> followed = new ArrayList<>();
    try (Connection connection = database.getConnection();
        Statement statement = connection.createStatement()) {
      for (int i = 0; i < tables; i++) {
        statement.execute("CREATE TABLE t" + i + " (id int PRIMARY KEY, v int)");
        statement.execute("INSERT INTO t" + i + " VALUES (1, 1)");
        followed.add("t" + i + ":id,v");
      }
    }
    Thread writer = new Thread(this::write, "writer");
    writer.start();
    Journal journal = Journal.on(database);
    timed("before", () -> journal.check());
    timed("install", () -> journal.install(followed));
    timed("upgrade", () -> journal.upgrade());
    timed("remove", () -> journal.remove());
    stopped = true;
    writer.join();
  }

  private void write() {
    SplittableRandom random = new SplittableRandom(1);
    try (Connection connection = database.getConnection();
        Statement statement = connection.createStatement()) {
      while (!stopped) {
        long began = System.nanoTime();
        statement.execute("UPDATE t" + random.nextInt(tables) + " SET v = v + 1");
        synchronized (nanos) {
          nanos.add(System.nanoTime() - began);
        }
      }
    } catch (SQLException e) {
      throw new IllegalStateException(e);
    }
  }

  private void timed(String name, Step step) throws SQLException {
    long began = System.nanoTime();
    step.run();
    double seconds = (System.nanoTime() - began) / 1e9;
    long[] all;
    synchronized (nanos) {
      all = nanos.stream().mapToLong(Long::longValue).sorted().toArray();
      nanos.clear();
    }
    System.out.println(
        all.length == 0
            ? name + ": no write was made meanwhile"
            : String.format(
                Locale.ROOT,
                "%-8s %6.1f s, %,8d writes: p50 %.2f ms, p99 %.2f ms, worst %.1f ms",
                name,
                seconds,
                all.length,
                all[all.length / 2] / 1e6,
                all[all.length * 99 / 100] / 1e6,
                Arrays.stream(all).max().orElseThrow() / 1e6));
  }
}
