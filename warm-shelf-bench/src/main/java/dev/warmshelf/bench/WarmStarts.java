package dev.warmshelf.bench;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.shelf.WarmStart;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.Statement;
import java.time.Duration;
import java.util.Locale;
import java.util.Random;

/**
 * What a warm start gives: {@code java -cp ... dev.warmshelf.bench.WarmStarts [ENTRIES] [COMMITS]},
 * 100,000 and 600 unless said otherwise. Answers of ten rows are kept and written; rows are changed
 * while no process runs; then the shelves are opened again, and each question is asked once.
 */
public final class WarmStarts {
  private static final int ROWS = 10;

  private WarmStarts() {}

  /** A row. */
  public record Item(int id, String name, int n) {}

  public static void main(String[] arguments) throws Exception {
    int entries = arguments.length > 0 ? Integer.parseInt(arguments[0]) : 100_000;
    int commits = arguments.length > 1 ? Integer.parseInt(arguments[1]) : 600;
    Path file = Files.createTempDirectory("warm-starts").resolve("answers");
    try (LocalPostgres server = LocalPostgres.start()) {
      HikariConfig config = new HikariConfig();
      config.setDataSource(server.dataSource("postgres"));
      try (HikariDataSource pool = new HikariDataSource(config)) {
        run(
            pool,
            "CREATE TABLE item AS SELECT i AS id, i / "
                + ROWS
                + " AS part, 'item number ' || i AS name, 0 AS n FROM generate_series(0, "
                + (entries * ROWS - 1)
                + ") i",
            "ALTER TABLE item ADD PRIMARY KEY (id)",
            "CREATE INDEX ON item (part)",
            "VACUUM ANALYZE item");
        Journal.on(pool).install(java.util.List.of("item:part"));
        cold(pool, file, entries);
        Random random = new Random(1);
        for (int i = 0; i < commits; i++) {
          run(pool, "UPDATE item SET n = n + 1 WHERE id = " + random.nextInt(entries * ROWS));
        }
        warm(pool, file, entries, commits);
      }
    }
  }

  private static void cold(HikariDataSource pool, Path file, int entries) throws Exception {
    long began = System.nanoTime();
    try (WarmShelf warm = open(pool, file)) {
      tell("opened cold", began);
      began = System.nanoTime();
      askAll(warm, entries);
      tell("each question asked once", began);
      began = System.nanoTime();
    }
    tell("closed, and written", began);
    System.out.printf(Locale.ROOT, "%-28s %8.1f MiB%n", "the file", Files.size(file) / 1048576.0);
  }

  private static void warm(HikariDataSource pool, Path file, int entries, int commits)
      throws Exception {
    long began = System.nanoTime();
    try (WarmShelf warm = open(pool, file)) {
      tell("opened warm", began);
      began = System.nanoTime();
      askAll(warm, 1);
      tell("the first answer", began);
      began = System.nanoTime();
      askAll(warm, entries);
      tell("each question asked once", began);
      Meters.Snapshot counts = warm.shelf("main").meters().snapshot();
      System.out.printf(
          Locale.ROOT,
          "%-28s %8.2f %% of %d, after %d commits%n",
          "served of the file",
          100.0 * (counts.get(Count.HITS) - 1) / entries,
          entries,
          commits);
    }
  }

  private static WarmShelf open(HikariDataSource pool, Path file) throws Exception {
    return WarmShelf.over(pool)
        .following(JournalFeed.on(pool))
        .warmStart(WarmStart.from(file).writtenEvery(Duration.ofHours(1)))
        .open();
  }

  private static void askAll(WarmShelf warm, int entries) throws Exception {
    ShelvedQuery<Item> items =
        warm.query("SELECT id, name, n FROM item WHERE part = :part ORDER BY id").as(Item.class);
    for (int part = 0; part < entries; part++) {
      items.with("part", part).list();
    }
  }

  private static void tell(String what, long began) {
    System.out.printf(Locale.ROOT, "%-28s %8.3f s%n", what, (System.nanoTime() - began) / 1e9);
  }

  private static void run(HikariDataSource pool, String... all) throws Exception {
    try (Connection connection = pool.getConnection();
        Statement statement = connection.createStatement()) {
      for (String sql : all) {
        statement.execute(sql);
      }
    }
  }
}
