package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Rule;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicIntegerArray;
import javax.sql.DataSource;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/**
 * Threads of one program move amounts between accounts and read them, through pools of several
 * sizes. What a commit has written that has returned, to whichever thread, no reading misses that
 * begins later; and no sum is ever seen of half a transaction.
 */
class DoorRaceTest {
  private static final int THREADS = 6;
  private static final int ROUNDS = 60;

  private TestDatabase database;
  private DataSource door;

  /** Of each thread's own account, how often a commit that has returned has written it. */
  private final AtomicIntegerArray written = new AtomicIntegerArray(THREADS);

  private final AtomicInteger kept = new AtomicInteger();

  @ParameterizedTest
  @ValueSource(ints = {1, 2, 10})
  void noReadingMissesACommitThatHasReturned(int size) throws Exception {
    database =
        TestDatabase.create(
            "CREATE TABLE account (id int PRIMARY KEY, amount int NOT NULL, writes int NOT NULL);"
                + "INSERT INTO account SELECT i, 100, 0 FROM generate_series(0, "
                + (THREADS - 1)
                + ") i",
            List.of("account:id"));
    HikariConfig config = new HikariConfig();
    config.setDataSource(database.dataSource());
    config.setMaximumPoolSize(size);
    try (HikariDataSource pool = new HikariDataSource(config);
        WarmShelf warm =
            WarmShelf.over(pool)
                .following(JournalFeed.on(database.dataSource()).polling(Duration.ofMillis(5)))
                .keeping(Rule.ofTablesAmong("account"))
                .open()) {
      door = warm.dataSource();
      ExecutorService threads = Executors.newFixedThreadPool(THREADS);
      try {
        List<Future<?>> all = new ArrayList<>();
        for (int i = 0; i < THREADS; i++) {
          int own = i;
          all.add(threads.submit(() -> run(own)));
        }
        for (Future<?> each : all) {
          each.get();
        }
      } finally {
        threads.shutdownNow();
      }
    }
    assertThat(kept.get()).as("answers from a shelf").isPositive();
  }

  private Void run(int own) throws SQLException {
    Random random = new Random(own);
    for (int round = 1; round <= ROUNDS; round++) {
      int to = (own + 1 + random.nextInt(THREADS - 1)) % THREADS;
      move(own, to, random.nextInt(10), random.nextInt(5) == 0);
      for (int i = 0; i < 4; i++) {
        int looked = random.nextInt(THREADS);
        int least = written.get(looked);
        assertThat(ask("SELECT writes FROM account WHERE id = ?", looked))
            .as("account %s, read by %s", looked, own)
            .isGreaterThanOrEqualTo(least);
        assertThat(ask("SELECT sum(amount)::int FROM account WHERE id >= ?", 0))
            .isEqualTo(100 * THREADS);
      }
    }
    return null;
  }

  /** In the order of the accounts, so that nobody waits in a circle. */
  private void move(int own, int to, int amount, boolean undone) throws SQLException {
    try (Connection connection = door.getConnection()) {
      connection.setAutoCommit(false);
      for (int id : own < to ? new int[] {own, to} : new int[] {to, own}) {
        try (PreparedStatement change =
            connection.prepareStatement(
                "UPDATE account SET amount = amount + ?, writes = writes + ? WHERE id = ?")) {
          change.setInt(1, id == own ? -amount : amount);
          change.setInt(2, id == own ? 1 : 0);
          change.setInt(3, id);
          change.executeUpdate();
        }
      }
      if (undone) {
        connection.rollback();
      } else {
        connection.commit();
        written.incrementAndGet(own);
      }
    }
  }

  private int ask(String sql, int value) throws SQLException {
    try (Connection connection = door.getConnection();
        PreparedStatement statement = connection.prepareStatement(sql)) {
      statement.setInt(1, value);
      try (ResultSet result = statement.executeQuery()) {
        kept.addAndGet(result.isWrapperFor(Reading.class) ? 1 : 0);
        result.next();
        return result.getInt(1);
      }
    }
  }
}
