package dev.warmshelf.bench;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.shared.PostgresStore;
import dev.warmshelf.shared.StoreSchema;
import dev.warmshelf.shelf.SharedState;
import dev.warmshelf.shelf.Sharing;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;

/**
 * What an answer of ten rows takes that another process has loaded, beside a read of the same rows
 * by their primary key: {@code java -cp ... dev.warmshelf.bench.SharedHits [ENTRIES] [TURNS]},
 * 2,000 and 6 unless said otherwise. In each turn a process that holds nothing asks every question
 * once, by turns with the direct read.
 */
public final class SharedHits {
  private static final int ROWS = 10;
  private static final String ITEMS =
      "SELECT id, name, n FROM item WHERE part = :part ORDER BY part, id";

  private SharedHits() {}

  /** A row. */
  public record Item(int id, String name, int n) {}

  public static void main(String[] arguments) throws Exception {
    int entries = arguments.length > 0 ? Integer.parseInt(arguments[0]) : 2_000;
    int turns = arguments.length > 1 ? Integer.parseInt(arguments[1]) : 6;
    try (LocalPostgres server = LocalPostgres.start()) {
      HikariConfig config = new HikariConfig();
      config.setDataSource(server.dataSource("postgres"));
      config.setMaximumPoolSize(20);
      try (HikariDataSource pool = new HikariDataSource(config);
          Connection connection = pool.getConnection();
          Statement statement = connection.createStatement()) {
        statement.execute(
            "CREATE TABLE item AS SELECT i / %d AS part, i AS id, 'item number ' || i AS name, 0 AS n FROM generate_series(0, %d) i"
                .formatted(ROWS, entries * ROWS - 1));
        statement.execute("ALTER TABLE item ADD PRIMARY KEY (part, id)");
        Journal.on(pool).install(List.of("item:part"));
        StoreSchema.create(pool, 1 << 30, List.of());
        try (WarmShelf first = open(server, pool)) {
          for (int part = 0; part < entries; part++) {
            items(first).with("part", part).list();
          }
          while (first.shared().orElseThrow().count(SharedState.Count.WRITTEN) < entries) {
            Thread.onSpinWait();
          }
          statement.execute("VACUUM ANALYZE item, warm_shelf_store.answer");
          for (int turn = 0; turn < turns; turn++) {
            turn(server, pool, entries);
          }
        }
      }
    }
  }

  private static WarmShelf open(LocalPostgres server, HikariDataSource pool) throws Exception {
    return WarmShelf.over(pool)
        .following(JournalFeed.on(pool))
        .sharing(
            Sharing.through(PostgresStore.on(server.dataSource("postgres")))
                .fromLoadsOf(Duration.ZERO))
        .open();
  }

  private static ShelvedQuery<Item> items(WarmShelf warm) {
    return warm.query(ITEMS).as(Item.class);
  }

  private static void turn(LocalPostgres server, HikariDataSource pool, int entries)
      throws Exception {
    try (WarmShelf warm = open(server, pool)) {
      ShelvedQuery<Item> items = items(warm);
      long[] shared = new long[entries];
      long[] direct = new long[entries];
      for (int part = 0; part < entries; part++) {
        long began = System.nanoTime();
        items.with("part", part).list();
        long between = System.nanoTime();
        List<Item> read = direct(pool, part);
        direct[part] = System.nanoTime() - between;
        shared[part] = between - began;
        if (read.size() != ROWS) {
          throw new IllegalStateException("ten rows, not " + read.size());
        }
      }
      long taken = warm.shelf("main").meters().snapshot().get(Count.SHARED);
      System.out.printf(
          Locale.ROOT,
          "shared %d of %d: median %.1f us, p90 %.1f us; direct: median %.1f us, p90 %.1f us;"
              + " ratio of medians %.2f%n",
          taken,
          entries,
          at(shared, 0.5),
          at(shared, 0.9),
          at(direct, 0.5),
          at(direct, 0.9),
          at(shared, 0.5) / at(direct, 0.5));
    }
  }

  private static double at(long[] all, double share) {
    long[] sorted = all.clone();
    Arrays.sort(sorted);
    return sorted[(int) (share * (sorted.length - 1))] / 1e3;
  }

  private static List<Item> direct(HikariDataSource pool, int part) throws Exception {
    try (Connection connection = pool.getConnection();
        PreparedStatement statement = connection.prepareStatement(ITEMS.replace(":part", "?"))) {
      statement.setInt(1, part);
      try (ResultSet rows = statement.executeQuery()) {
        List<Item> all = new ArrayList<>();
        while (rows.next()) {
          all.add(new Item(rows.getInt(1), rows.getString(2), rows.getInt(3)));
        }
        return all;
      }
    }
  }
}
