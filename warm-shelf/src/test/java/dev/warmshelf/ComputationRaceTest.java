package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicBoolean;
import javax.sql.DataSource;
import org.junit.jupiter.api.Test;

/**
 * Computations made at random, one on top of the other, by several threads while others write: once
 * all is told, what is kept says what the database says.
 */
class ComputationRaceTest {
  private static final int PARTS = 40;
  private static final int DEPTH = 4;
  private static final int ROUNDS = 6;
  private static final String SCHEMA =
      """
      CREATE TABLE item (id int PRIMARY KEY, part int NOT NULL, n int NOT NULL);
      CREATE TABLE other (part int PRIMARY KEY, n int NOT NULL);
      INSERT INTO item SELECT i, i % 40, 0 FROM generate_series(0, 159) i;
      INSERT INTO other SELECT i, 0 FROM generate_series(0, 39) i;
      """;

  private WarmShelf warm;
  private DataSource door;
  private DataSource beneath;
  private ShelvedQuery<Long> sums;

  /** What a computation of this seed gives, by whatever its parts are read. */
  private long value(long seed, int depth, boolean kept) throws SQLException {
    Random random = new Random(seed);
    long sum = 0;
    int parts = 1 + random.nextInt(4);
    for (int i = 0; i < parts; i++) {
      int part = random.nextInt(PARTS);
      long next = random.nextInt(12);
      int kind = random.nextInt(depth == 0 ? 2 : 3);
      sum =
          31 * sum
              + switch (kind) {
                case 0 -> kept ? sums.with("part", part).only().value() : item(beneath, part);
                case 1 -> other(kept ? door : beneath, part);
                default -> kept ? computed(next, depth - 1).value() : value(next, depth - 1, false);
              };
    }
    return sum;
  }

  private Reading<Long> computed(long seed, int depth) throws SQLException {
    return warm.<Long>computation("at " + depth).get(() -> value(seed, depth, true), seed);
  }

  private static long item(DataSource source, int part) throws SQLException {
    return asked(source, "SELECT sum(n) FROM item WHERE part = ?", part);
  }

  private static long other(DataSource source, int part) throws SQLException {
    return asked(source, "SELECT n FROM other WHERE part = ?", part);
  }

  private static long asked(DataSource source, String sql, int part) throws SQLException {
    try (Connection connection = source.getConnection();
        PreparedStatement statement = connection.prepareStatement(sql)) {
      statement.setInt(1, part);
      try (ResultSet row = statement.executeQuery()) {
        row.next();
        return row.getLong(1);
      }
    }
  }

  private Void write(AtomicBoolean over, Random random) throws SQLException {
    try (Connection connection = beneath.getConnection();
        Statement statement = connection.createStatement()) {
      while (!over.get()) {
        String table = random.nextBoolean() ? "item" : "other";
        statement.execute(
            "UPDATE " + table + " SET n = n + 1 WHERE part = " + random.nextInt(PARTS));
      }
    }
    return null;
  }

  private Void read(AtomicBoolean over, Random random) throws SQLException {
    while (!over.get()) {
      computed(random.nextInt(12), random.nextInt(DEPTH));
    }
    return null;
  }

  @Test
  void whatIsKeptSaysWhatTheDatabaseSaysOnceAllIsTold() throws Exception {
    TestDatabase database = TestDatabase.create(SCHEMA, List.of("item:part", "other:part"));
    HikariConfig config = new HikariConfig();
    config.setDataSource(database.dataSource());
    Random random = new Random(11);
    long kept = 0;
    ExecutorService threads = Executors.newFixedThreadPool(4);
    try (HikariDataSource pool = new HikariDataSource(config);
        WarmShelf open =
            WarmShelf.over(pool)
                .following(JournalFeed.on(database.dataSource()).polling(Duration.ofMillis(2)))
                .open()) {
      beneath = pool;
      warm = open;
      door = warm.dataSource();
      sums = warm.query("SELECT sum(n) FROM item WHERE part = :part").as(Long.class);
      for (int round = 0; round < ROUNDS; round++) {
        AtomicBoolean over = new AtomicBoolean();
        List<Callable<Void>> all = new ArrayList<>();
        for (int i = 0; i < 3; i++) {
          Random own = new Random(random.nextLong());
          all.add(() -> read(over, own));
        }
        Random own = new Random(random.nextLong());
        all.add(() -> write(over, own));
        List<Future<Void>> running = new ArrayList<>();
        all.forEach(each -> running.add(threads.submit(each)));
        long loads = warm.shelf("main").meters().snapshot().get(Count.FILLS);
        Waiting.until(
            "some are kept",
            () ->
                warm.shelf("main").meters().snapshot().get(Count.FILLS) > loads + 40
                    || running.stream().anyMatch(Future::isDone));
        over.set(true);
        for (Future<Void> each : running) {
          each.get();
        }
        Waiting.untilDelivered(warm);
        for (int depth = DEPTH - 1; depth >= 0; depth--) {
          for (long seed = 0; seed < 12; seed++) {
            Reading<Long> reading = computed(seed, depth);
            kept += reading.origin() == Origin.KEPT ? 1 : 0;
            assertThat(reading.value())
                .as("round %d, seed %d at %d: %s", round, seed, depth, reading)
                .isEqualTo(value(seed, depth, false));
          }
        }
      }
    } finally {
      threads.shutdownNow();
    }
    assertThat(kept).isGreaterThan(ROUNDS);
  }
}
