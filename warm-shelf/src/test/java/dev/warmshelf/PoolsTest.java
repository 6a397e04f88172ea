package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.shelf.Origin;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.SQLTimeoutException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import javax.sql.DataSource;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.mockito.AdditionalAnswers;
import org.postgresql.ds.PGSimpleDataSource;

/** Pools that have few connections, and connections that must not live on. */
@Timeout(value = 120, threadMode = Timeout.ThreadMode.SEPARATE_THREAD)
class PoolsTest {
  private TestDatabase database;
  private final ExecutorService threads = Executors.newCachedThreadPool();

  @BeforeEach
  void create() throws Exception {
    database = TestDatabase.create();
  }

  @AfterEach
  void stop() {
    threads.shutdownNow();
  }

  private HikariDataSource pool(int size) {
    HikariConfig config = new HikariConfig();
    config.setDataSource(database.dataSource());
    config.setMaximumPoolSize(size);
    config.setConnectionTimeout(20_000);
    return new HikariDataSource(config);
  }

  private JournalFeed ownFeed() {
    PGSimpleDataSource own = database.postgres();
    return JournalFeed.on(own.getUrl(), own.getUser(), null);
  }

  private static List<String> ownThreads() {
    return Thread.getAllStackTraces().keySet().stream()
        .map(Thread::getName)
        .filter(name -> name.startsWith("warm-shelf-"))
        .sorted()
        .toList();
  }

  @Test
  void aPoolWithoutAConnectionBesideTheFeedsIsRefusedAtOnce() throws Exception {
    List<String> before = ownThreads();
    try (HikariDataSource one = pool(1)) {
      assertThatThrownBy(() -> WarmShelf.over(one).following(JournalFeed.on(one)).open())
          .isInstanceOf(SQLException.class)
          .hasMessageContaining("The feed keeps a connection")
          .hasMessageContaining("JournalFeed.on(url, user, password)");
      try (Connection free = one.getConnection()) {
        assertThat(free.isValid(1)).as("nothing is left borrowed").isTrue();
      }
      Waiting.until("nothing runs on", () -> ownThreads().equals(before));
      // With a feed that has connections of its own one is enough.
      try (WarmShelf warm = WarmShelf.over(one).following(ownFeed()).open()) {
        ShelvedQuery<String> port =
            warm.query("SELECT code FROM port WHERE id = 1").as(String.class);
        assertThat(port.only().origin()).isEqualTo(Origin.LOADED);
        warm.inTransaction(
            tx -> {
              ShelvedQuery<String> other =
                  warm.query("SELECT name FROM port WHERE id = 2").as(String.class);
              assertThat(other.question().within(tx).only().origin()).isEqualTo(Origin.LOADED);
              tx.write("UPDATE port SET code = 'NEW' WHERE id = 1 RETURNING code")
                  .keep(port.question(), dev.warmshelf.shelf.Shelf.WriteThrough.ANYWAY)
                  .run();
              return null;
            });
        assertThat(port.only().value()).isEqualTo("NEW");
        assertThat(port.only().origin()).isEqualTo(Origin.KEPT);
      }
    }
  }

  @Test
  void firstQuestionsOfManyTransactionsNeedNoConnectionMoreThanTheirOwn() throws Exception {
    int size = 4;
    try (HikariDataSource pool = pool(size);
        WarmShelf warm = WarmShelf.over(pool).following(ownFeed()).open()) {
      CountDownLatch allHoldOne = new CountDownLatch(size);
      List<Future<String>> answers = new ArrayList<>();
      for (int i = 0; i < size; i++) {
        String text = "SELECT max(code) FROM port WHERE id > " + -i + " AND name <> 'x" + i + "'";
        answers.add(
            threads.submit(
                () ->
                    warm.inTransaction(
                        tx -> {
                          allHoldOne.countDown();
                          await(allHoldOne);
                          // A text of its own, and one that all ask at once.
                          warm.query(text).as(String.class).question().within(tx).only();
                          return warm.query("SELECT max(name) FROM port")
                              .as(String.class)
                              .question()
                              .within(tx)
                              .only()
                              .value();
                        })));
      }
      for (Future<String> answer : answers) {
        assertThat(answer.get(15, TimeUnit.SECONDS)).isNotNull();
      }
    }
  }

  @Test
  void whoHoldsATransactionsConnectionDoesNotWaitForAnothersLoad() throws Exception {
    database.run(
        "CREATE FUNCTION wait_for_test(int) RETURNS int IMMUTABLE LANGUAGE plpgsql AS"
            + " 'BEGIN PERFORM pg_advisory_lock_shared(7); PERFORM pg_advisory_unlock_shared(7);"
            + " RETURN 0; END'");
    try (HikariDataSource pool = pool(3);
        WarmShelf warm = WarmShelf.over(pool).following(ownFeed()).open();
        Connection holder = database.dataSource().getConnection();
        var lock = holder.createStatement()) {
      ShelvedQuery<String> slow =
          warm.query("SELECT code FROM port WHERE id = :id AND wait_for_test(id) = 0")
              .as(String.class);
      lock.execute("SELECT pg_advisory_lock(7)");
      Future<String> leader = threads.submit(() -> slow.with("id", 1).only().value());
      untilWaitingFor(1);
      Future<String> inside =
          threads.submit(
              () -> warm.inTransaction(tx -> slow.with("id", 1).within(tx).only().value()));
      untilWaitingFor(2); // it asks on its own
      assertThatThrownBy(() -> slow.with("id", 1).waitingAtMost(Duration.ofMillis(20)).only())
          .isInstanceOf(SQLTimeoutException.class);
      lock.execute("SELECT pg_advisory_unlock(7)");
      assertThat(leader.get(15, TimeUnit.SECONDS)).isEqualTo(inside.get(15, TimeUnit.SECONDS));
    }
  }

  private void untilWaitingFor(int count) throws Exception {
    Waiting.until(
        count + " wait for the lock",
        () ->
            database
                .ask("SELECT count(*) FROM pg_locks WHERE locktype = 'advisory' AND NOT granted")
                .equals(Integer.toString(count)));
  }

  @Test
  void workThatFailedIsNotCommittedThoughItCannotBeRolledBack() throws Exception {
    Connection real = database.dataSource().getConnection();
    Connection stubborn = mock(Connection.class, AdditionalAnswers.delegatesTo(real));
    doThrow(new SQLException("rollback refused")).when(stubborn).rollback();
    DataSource source = mock();
    when(source.getConnection())
        .then(call -> database.dataSource().getConnection())
        .then(call -> stubborn);
    try (WarmShelf warm = WarmShelf.over(source).onTtlAlone().open()) {
      assertThatThrownBy(
              () ->
                  warm.inTransaction(
                      tx -> {
                        tx.write("UPDATE port SET code = 'BAD' WHERE id = 1").run();
                        throw new SQLException("changed my mind");
                      }))
          .hasMessage("changed my mind")
          .satisfies(e -> assertThat(e.getSuppressed()).hasSize(1));
    }
    assertThat(real.isClosed()).isTrue();
    assertThat(database.ask("SELECT code FROM port WHERE id = 1")).isNotEqualTo("BAD");
  }

  private static void await(CountDownLatch latch) throws SQLException {
    try {
      latch.await();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new SQLException(e);
    }
  }
}
