package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.spy;

import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CyclicBarrier;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicReference;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.postgresql.ds.PGSimpleDataSource;

/** When the database is asked about a statement, and what becomes of questions meanwhile. */
class VerdictsTest {
  private static final String ASKED =
      "SELECT count(*) FROM pg_stat_statements s JOIN pg_database d ON d.oid = s.dbid"
          + " WHERE d.datname = current_database() AND query LIKE 'DO %warm_shelf_%'";

  private TestDatabase database;
  private WarmShelf warm;

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create();
    database.run("CREATE EXTENSION pg_stat_statements");
    warm = database.shelf(5).open();
  }

  @AfterEach
  void close() {
    warm.close();
  }

  private int asked() throws SQLException {
    return Integer.parseInt(database.ask(ASKED));
  }

  @Test
  void thoseWhoComeFirstTogetherShareOneAsking() throws Exception {
    int callers = 8;
    CyclicBarrier together = new CyclicBarrier(callers);
    ExecutorService threads = Executors.newFixedThreadPool(callers);
    List<Future<Long>> answers = new ArrayList<>();
    for (int i = 0; i < callers; i++) {
      answers.add(
          threads.submit(
              () -> {
                together.await();
                return warm.query("SELECT count(*) FROM port").as(Long.class).only().value();
              }));
    }
    for (Future<Long> answer : answers) {
      assertThat(answer.get()).isPositive();
    }
    threads.shutdown();
    assertThat(asked()).isEqualTo(1);
  }

  @Test
  void textsThatDifferInConstantsAreAskedAboutOnce() throws Exception {
    for (int i = 0; i < 20; i++) {
      warm.query("SELECT name FROM port WHERE id = " + i + " AND code <> 'c" + i + "'")
          .asMaps()
          .list();
    }
    assertThat(asked()).isEqualTo(1);
  }

  @Test
  void aListIsTheSameQuestionWrittenOut() throws Exception {
    ShelvedQuery<String> byList =
        warm.query("SELECT code FROM port WHERE id IN (:ids) ORDER BY id").as(String.class);
    Reading<List<String>> loaded = byList.with("ids", List.of(3, 1, 2)).list();
    assertThat(loaded.value()).hasSize(3);
    for (String text :
        List.of("id IN (1, 2, 3)", "id = ANY (:ids)", "id IN (:ids)", "id in (3, 2, 1, 1)")) {
      Question<String> question =
          warm.query("SELECT code FROM port WHERE " + text + " ORDER BY id")
              .as(String.class)
              .question();
      Reading<List<String>> reading =
          (text.contains(":") ? question.with("ids", List.of(1L, 3L, 2L)) : question).list();
      assertThat(reading.origin()).as(text).isEqualTo(Origin.KEPT);
      assertThat(reading.value()).isEqualTo(loaded.value());
    }
    assertThat(byList.with("ids", List.of()).list().value()).isEmpty();
    assertThat(
            warm.query("SELECT count(*) FROM port WHERE id NOT IN (:ids)")
                .as(Long.class)
                .with("ids", List.of())
                .only()
                .value())
        .isEqualTo(Long.valueOf(database.ask("SELECT count(*) FROM port")));
    assertThat(loaded.lanes().toString()).doesNotContain("public.sailing");
  }

  @Test
  void aValueThatMeansTheMomentGoesAround() throws Exception {
    ShelvedQuery<Long> since =
        warm.query("SELECT count(*) FROM sailing WHERE day >= :day::text::date").as(Long.class);
    assertThat(since.with("day", "2026-05-01").only().bypass()).isEmpty();
    assertThat(since.with("day", "today").only().bypass())
        .hasValueSatisfying(why -> assertThat(why).contains("moment"));
    assertThat(since.with("day", "2026-05-01").only().origin()).isEqualTo(Origin.KEPT);
    ShelvedQuery<Long> named =
        warm.query("SELECT count(*) FROM port WHERE name = :name").as(Long.class);
    assertThat(named.with("name", "today").only().bypass()).as("no date is near").isEmpty();
    assertThat(
            warm.query("SELECT count(*) FROM sailing WHERE day > 'yesterday'")
                .as(Long.class)
                .only()
                .bypass())
        .hasValueSatisfying(why -> assertThat(why).contains("yesterday"));
    assertThat(
            warm.query("SELECT count(*) FROM sailing WHERE day > :d")
                .as(Long.class)
                .with("d", LocalDate.of(2026, 5, 1))
                .only()
                .bypass())
        .isEmpty();
  }

  @Test
  void aQueryThatChangesDataIsAnErrorAndIsNotRun() throws Exception {
    String before = database.ask("SELECT count(*) FROM notice");
    for (String sql :
        List.of(
            "DELETE FROM notice RETURNING id",
            "WITH gone AS (DELETE FROM notice RETURNING id) SELECT id FROM gone")) {
      ShelvedQuery<Map<String, @Nullable Object>> query = warm.query(sql).asMaps();
      assertThatThrownBy(query::list)
          .isInstanceOf(IllegalStateException.class)
          .hasMessageContaining("write(");
      assertThatThrownBy(() -> warm.inTransaction(tx -> query.question().within(tx).list()))
          .isInstanceOf(IllegalStateException.class);
    }
    assertThat(database.ask("SELECT count(*) FROM notice")).isEqualTo(before);
  }

  @Test
  void aReadThroughAViewThatWritesCountsAsAWrite() throws Exception {
    database.run(
        "CREATE FUNCTION sold() RETURNS int LANGUAGE sql AS"
            + " 'UPDATE port SET name = ''sold'' WHERE id = 1 RETURNING id';"
            + "CREATE VIEW selling AS SELECT sold() AS id");
    ShelvedQuery<String> name = warm.query("SELECT name FROM port WHERE id = 1").as(String.class);
    name.only();
    ShelvedQuery<Integer> selling = warm.query("SELECT id FROM selling").as(Integer.class);
    warm.inTransaction(
        tx -> {
          assertThat(selling.question().within(tx).only().value()).isEqualTo(1);
          assertThat(name.question().within(tx).only().value()).isEqualTo("sold");
          return null;
        });
    assertThat(name.only().value()).isEqualTo("sold");
  }

  @Test
  void whoHoldsATransactionOfHisOwnIsAnsweredAroundOnceAndThenKept() throws Exception {
    ShelvedQuery<Long> ports = warm.query("SELECT count(*) FROM port").as(Long.class);
    try (Connection mine = database.dataSource().getConnection();
        Statement statement = mine.createStatement()) {
      mine.setAutoCommit(false);
      statement.execute("SELECT 1");
      Reading<Long> first = ports.question().on(mine).only();
      assertThat(first.bypass()).hasValue("not analysed yet");
      Waiting.until(
          "it has been asked about aside",
          () -> ports.question().on(mine).only().origin() == Origin.KEPT);
      mine.rollback();
      mine.setAutoCommit(true);
      statement.execute("BEGIN");
      statement.execute("CREATE TEMP TABLE held ON COMMIT DROP AS SELECT 1 AS x");
      warm.query("SELECT max(id) FROM port").as(Integer.class).question().on(mine).only();
      statement.execute("SELECT x FROM held");
      statement.execute("ROLLBACK");
    }
  }

  /** Its owner may close the pool next. */
  @Test
  void onceItIsClosedNobodyAsksAsideAnyMore() throws Exception {
    AtomicReference<Thread> asking = new AtomicReference<>();
    CompletableFuture<String> answer = new CompletableFuture<>();
    PGSimpleDataSource source = spy(database.postgres());
    doAnswer(
            call -> {
              if (Thread.currentThread().getName().equals("warm-shelf-analysis")) {
                asking.set(Thread.currentThread());
                assertThat(answer.join()).isEmpty(); // as a driver waits: no interrupt helps
              }
              return call.callRealMethod();
            })
        .when(source)
        .getConnection();
    WarmShelf closed =
        WarmShelf.over(source).following(JournalFeed.on(database.dataSource())).open();
    try (Connection mine = database.dataSource().getConnection();
        Statement statement = mine.createStatement()) {
      mine.setAutoCommit(false);
      statement.execute("SELECT 1");
      closed.query("SELECT count(*) FROM port").as(Long.class).question().on(mine).only();
      mine.rollback();
    }
    Waiting.until("it is asked about aside", () -> asking.get() != null);
    Thread closing = new Thread(closed::close);
    closing.start();
    Waiting.until("closing waits for it", () -> isIn(closing, "awaitTermination"));
    answer.complete("");
    closing.join();
    Waiting.until("its thread is gone, too", () -> !asking.get().isAlive()); // a moment later
  }

  private static boolean isIn(Thread thread, String method) {
    return Arrays.stream(thread.getStackTrace())
        .anyMatch(frame -> frame.getMethodName().equals(method));
  }

  @Test
  void anEventTriggerThatForbidsItCostsAnswersAndBreaksNoRead() throws Exception {
    database.run(
        "CREATE FUNCTION no_ddl() RETURNS event_trigger LANGUAGE plpgsql AS"
            + " 'BEGIN RAISE EXCEPTION ''no DDL here''; END';"
            + "CREATE EVENT TRIGGER no_ddl ON ddl_command_start WHEN TAG IN ('CREATE FUNCTION')"
            + " EXECUTE FUNCTION no_ddl()");
    Reading<Long> reading = warm.query("SELECT count(*) FROM port").as(Long.class).only();
    assertThat(reading.value()).isPositive();
    assertThat(reading.bypass())
        .hasValueSatisfying(why -> assertThat(why).contains("no DDL here", "event trigger"));
  }

  @Test
  void aRoleThatMayNotMakeTemporaryObjectsIsToldWhatItNeeds() throws Exception {
    database.run(
        "DO $$BEGIN CREATE ROLE bare "
            + LocalPostgres.login()
            + "; EXCEPTION WHEN duplicate_object THEN NULL; END$$;"
            + "DO $$BEGIN EXECUTE format('REVOKE TEMPORARY ON DATABASE %I FROM PUBLIC',"
            + " current_database()); END$$; GRANT SELECT ON port TO bare");
    var source = database.postgres();
    source.setUser("bare");
    try (WarmShelf bare = WarmShelf.over(source).onTtlAlone().open()) {
      Reading<Long> reading = bare.query("SELECT count(*) FROM port").as(Long.class).only();
      assertThat(reading.value()).isPositive();
      assertThat(reading.bypass())
          .hasValueSatisfying(why -> assertThat(why).contains("GRANT TEMPORARY ON DATABASE"));
    }
  }
}
