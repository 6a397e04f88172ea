package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.shelf.Loader;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.ReadScope;
import dev.warmshelf.shelf.read.Scope;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.List;
import java.util.Random;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ForkJoinPool;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.locks.LockSupport;
import org.junit.jupiter.api.Test;

class ReadScopeTest {
  private static final String SCHEMA =
      """
      CREATE TABLE account (id int PRIMARY KEY, cents int NOT NULL);
      INSERT INTO account SELECT i, 100 FROM generate_series(1, 6) i;
      """;
  private static final int ACCOUNTS = 6;

  private final TestDatabase database;

  ReadScopeTest() throws SQLException {
    database = TestDatabase.create(SCHEMA, List.of("account:id"));
  }

  private static int cents(WarmShelf warm, int id) throws SQLException {
    return warm.query("SELECT cents FROM account WHERE id = :id")
        .as(Integer.class)
        .with("id", id)
        .only()
        .value();
  }

  @Test
  void theSameQuestionGivesTheSameAnswerWhateverChanges() throws Exception {
    try (WarmShelf warm = database.shelf(5).open()) {
      Computation<Integer> twice = warm.computation("twice");
      try (ReadScope scope = warm.readScope()) {
        assertThat(Scope.current()).isSameAs(scope);
        assertThat(cents(warm, 1)).isEqualTo(100);
        assertThat(twice.get(() -> 2 * cents(warm, 1)).value()).isEqualTo(200);
        database.run("UPDATE account SET cents = 7 WHERE id = 1");
        Waiting.untilDelivered(warm);
        assertThat(cents(warm, 1)).isEqualTo(100);
        assertThat(twice.get(() -> 2 * cents(warm, 1)).value()).isEqualTo(200);
        // A result that stands on an answer of before is for its caller alone.
        Computation<Integer> thrice = warm.computation("thrice");
        assertThat(thrice.get(() -> 3 * cents(warm, 1)).value()).isEqualTo(300);
        assertThat(
                CompletableFuture.supplyAsync(
                        () -> unchecked(warm, 1), WarmShelf.handing(ForkJoinPool.commonPool()))
                    .get())
            .isEqualTo(100);
        assertThat(CompletableFuture.supplyAsync(() -> unchecked(warm, 1)).get()).isEqualTo(7);
        warm.write("UPDATE account SET cents = 8 WHERE id = 2").run();
        assertThat(cents(warm, 1)).as("after a commit of its own").isEqualTo(7);
        assertThat(cents(warm, 2)).isEqualTo(8);
      }
      assertThat(Scope.current()).isNull();
      assertThat(cents(warm, 1)).isEqualTo(7);
      assertThat(warm.<Integer>computation("thrice").get(() -> 3 * cents(warm, 1)).value())
          .isEqualTo(21);
    }
  }

  private static int unchecked(WarmShelf warm, int id) {
    try {
      return cents(warm, id);
    } catch (SQLException e) {
      throw new IllegalStateException(e);
    }
  }

  @Test
  void whatIsSaidToBeOfOneMomentIs() throws Exception {
    AtomicBoolean over = new AtomicBoolean();
    Thread writer = new Thread(() -> transfer(over));
    writer.start();
    HikariConfig config = new HikariConfig();
    config.setDataSource(database.dataSource());
    try (HikariDataSource pool = new HikariDataSource(config);
        WarmShelf warm =
            WarmShelf.over(pool)
                .following(JournalFeed.on(database.dataSource()).polling(Duration.ofMillis(20)))
                .open()) {
      for (int i = 0; i < 100; i++) {
        Moment<Integer> moment = warm.atOneMoment(2, () -> sum(warm));
        if (moment.at().isPresent()) {
          assertThat(moment.value()).as("moment %d", i).isEqualTo(100 * ACCOUNTS);
        }
      }
      over.set(true);
      writer.join();
      Waiting.untilDelivered(warm);
      Moment<Integer> quiet = warm.atOneMoment(1, () -> sum(warm));
      assertThat(quiet.at()).isPresent();
      assertThat(quiet.value()).isEqualTo(100 * ACCOUNTS);
      assertThat(warm.atOneMoment(1, () -> bypassing(warm)).at()).as("past the shelf").isEmpty();
    }
  }

  @Test
  void whatHasChangedInTheMidstOfItIsOfNoMomentAndDoneAgain() throws Exception {
    try (WarmShelf warm = database.shelf(5).open()) {
      AtomicInteger done = new AtomicInteger();
      Loader<Integer, SQLException> torn =
          () -> {
            int before = cents(warm, 1);
            if (done.incrementAndGet() < 3) {
              database.run("UPDATE account SET cents = cents + id * 2 - 3 WHERE id IN (1, 2)");
            }
            return before + cents(warm, 2);
          };
      Moment<Integer> once = warm.atOneMoment(1, torn);
      assertThat(once.at()).isEmpty();
      assertThat(once.value()).as("of two moments").isEqualTo(201);
      Moment<Integer> again = warm.atOneMoment(5, torn);
      assertThat(again.at()).isPresent();
      assertThat(again.value()).isEqualTo(200);
      assertThat(done.get()).isEqualTo(3);
    }
  }

  private static int sum(WarmShelf warm) throws SQLException {
    int sum = 0;
    for (int id = 1; id <= ACCOUNTS; id++) {
      sum += cents(warm, id);
    }
    return sum;
  }

  private static int bypassing(WarmShelf warm) throws SQLException {
    assertThat(warm.query("SELECT now()::text").as(String.class).only().origin())
        .isEqualTo(Origin.DIRECT);
    return sum(warm);
  }

  /** Each transaction takes from one what it gives to another. */
  private void transfer(AtomicBoolean over) {
    Random random = new Random(3);
    try (Connection connection = database.dataSource().getConnection();
        Statement statement = connection.createStatement()) {
      while (!over.get()) {
        int from = 1 + random.nextInt(ACCOUNTS);
        int to = 1 + (from + random.nextInt(ACCOUNTS - 1)) % ACCOUNTS;
        statement.execute(
            "UPDATE account SET cents = cents + CASE id WHEN "
                + from
                + " THEN -1 ELSE 1 END"
                + " WHERE id IN ("
                + from
                + ", "
                + to
                + ")");
        LockSupport.parkNanos(15_000_000);
      }
    } catch (SQLException e) {
      throw new IllegalStateException(e);
    }
  }
}
