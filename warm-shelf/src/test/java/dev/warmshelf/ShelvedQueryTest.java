package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import ch.qos.logback.classic.Level;
import ch.qos.logback.classic.Logger;
import ch.qos.logback.classic.spi.ILoggingEvent;
import ch.qos.logback.core.read.ListAppender;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Count;
import dev.warmshelf.scenario.Questions;
import dev.warmshelf.scenario.Scale;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.statement.Verdict;
import java.math.BigDecimal;
import java.sql.Connection;
import java.sql.SQLException;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicReference;
import javax.sql.DataSource;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.mockito.AdditionalAnswers;
import org.postgresql.ds.PGSimpleDataSource;
import org.slf4j.LoggerFactory;

class ShelvedQueryTest {
  record Departure(int id, Instant leavesAt, String status, String vessel, BigDecimal metresLeft) {}

  record Port(int id, String code) {}

  private TestDatabase database;
  private WarmShelf warm;

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create();
    warm =
        database
            .shelf(5)
            .shelf("departures", policy -> policy.holding(Capacity.entries(100)))
            .open();
  }

  @AfterEach
  void close() {
    warm.close();
  }

  @Test
  void theBoardIsReadOnceAndThenKept() throws Exception {
    ShelvedQuery<Departure> departures =
        warm.query(Questions.DEPARTURES).on("departures").as(Departure.class);
    Reading<List<Departure>> miss = departures.with("port", 1).with("day", Scale.FIRST_DAY).list();
    Reading<List<Departure>> hit = departures.with("day", Scale.FIRST_DAY).with("port", 1L).list();
    assertThat(miss.origin()).isEqualTo(Origin.LOADED);
    assertThat(hit.origin()).isEqualTo(Origin.KEPT);
    assertThat(hit.value()).hasSizeGreaterThan(50).isSameAs(miss.value());
    assertThat(hit.value()).isSortedAccordingTo((a, b) -> a.leavesAt().compareTo(b.leavesAt()));
    assertThat(warm.shelf("departures").meters().snapshot().databaseReads()).isEqualTo(1);
    assertThatThrownBy(() -> hit.value().clear()).isInstanceOf(UnsupportedOperationException.class);
  }

  @Test
  void anotherProgramsBookingIsInTheNextAnswer() throws Exception {
    ShelvedQuery<Departure> departures = warm.query(Questions.DEPARTURES).as(Departure.class);
    Departure before =
        departures.with("port", 1).with("day", Scale.FIRST_DAY).list().value().get(0);
    database.run(
        "INSERT INTO booking (sailing_id, agent_id, metres, seats, cents, status, booked_at)"
            + " VALUES ("
            + before.id()
            + ", 1, 4.5, 1, 100, 'HELD', '2026-05-01Z')");
    Waiting.untilDelivered(warm);
    Departure after = departures.with("port", 1).with("day", Scale.FIRST_DAY).list().value().get(0);
    assertThat(after.metresLeft()).isEqualTo(before.metresLeft().subtract(new BigDecimal("4.5")));
  }

  @Test
  void listFirstAndOnlyShareOneAnswer() throws Exception {
    ShelvedQuery<String> names =
        warm.query("SELECT name FROM port WHERE id <= ? ORDER BY id").as(String.class);
    List<String> all = names.with("1", 3).list().value();
    assertThat(all).hasSize(3);
    assertThat(names.with("1", 3).first().value()).hasValue(all.get(0));
    assertThat(names.with("1", 0).first().value()).isEmpty();
    assertThat(names.with("1", 1).only().value()).isEqualTo(all.get(0));
    assertThatThrownBy(() -> names.with("1", 3).only())
        .isInstanceOf(IllegalStateException.class)
        .hasMessageContaining("has 3");
    assertThat(warm.query("SELECT count(*) FROM port").as(Long.class).only().value()).isEqualTo(40);
    assertThat(warm.shelf("main").meters().snapshot().databaseReads()).isEqualTo(4);
  }

  @Test
  void spacingCaseAndTypesWithoutMeaningShareAnAnswer() throws Exception {
    warm.query("SELECT id, code FROM port WHERE island = :island")
        .as(Port.class)
        .with("island", "Norra")
        .list();
    Reading<List<Port>> other =
        warm.query("select id,code\nfrom PORT -- all\nwhere island=:i;")
            .as(Port.class)
            .with("i", "Norra")
            .list();
    assertThat(other.origin()).isEqualTo(Origin.KEPT);
  }

  @Test
  void aRefusedStatementIsAnsweredByTheDatabaseEachTimeAndSaysWhy() throws Exception {
    ShelvedQuery<Double> lots = warm.query("SELECT random()").as(Double.class);
    Reading<Double> one = lots.only();
    assertThat(one.origin()).isEqualTo(Origin.DIRECT);
    assertThat(one.bypass()).hasValue("random() can give another answer each time (position 8)");
    assertThat(lots.only().value()).isNotEqualTo(one.value());
    assertThat(warm.shelf("main").meters().snapshot().get(BypassReason.REFUSED)).isEqualTo(2);
  }

  @Test
  void aRefusalIsToldOnceCountedAndCanBeRequiredNotToBe() throws Exception {
    List<String> told =
        toldDuring(
            () -> {
              for (int i = 0; i < 5; i++) {
                warm.query("SELECT random(), " + i).as(Pair.class).verdict();
                warm.query("SELECT random() AS r").as(Double.class).only();
              }
            });
    assertThat(told)
        .filteredOn(message -> message.contains("SELECT random() AS r"))
        .singleElement()
        .asString()
        .contains("random() can give another answer each time");
    assertThat(warm.refusals().get("select random() as r")).containsValue(5L).hasSize(1);
    assertThatThrownBy(() -> warm.query("SELECT random() AS r").as(Double.class).requireKeepable())
        .isInstanceOf(IllegalStateException.class)
        .hasMessageContaining("random()");
    warm.query("SELECT code FROM port WHERE id = 1").as(String.class).requireKeepable();
  }

  record Pair(double random, int number) {}

  private interface Work {
    void run() throws Exception;
  }

  private static List<String> toldDuring(Work work) throws Exception {
    ListAppender<ILoggingEvent> told = new ListAppender<>();
    Logger log = (Logger) LoggerFactory.getLogger(WarmShelf.class);
    told.start();
    log.addAppender(told);
    log.setLevel(Level.DEBUG);
    try {
      work.run();
    } finally {
      log.setLevel(null); // as it was
      log.detachAppender(told);
    }
    return told.list.stream().map(ILoggingEvent::getFormattedMessage).toList();
  }

  @Test
  void aStartSaysWhatIsInUse() throws Exception {
    String name = database.ask("SELECT current_database()");
    List<String> told =
        toldDuring(
            () ->
                WarmShelf.over(database.dataSource())
                    .following(JournalFeed.on(database.dataSource()))
                    .namespace("orders")
                    .shelf("small", policy -> policy.holding(Capacity.bytes(1 << 20)))
                    .keeping(Rule.ofTablesAmong("port").on("small"))
                    .open()
                    .close());
    assertThat(told)
        .anyMatch(
            line ->
                line.startsWith("Open: version=" + WarmShelf.version() + " driver=42.")
                    && line.contains(" database=" + name)
                    && line.contains(" role=postgres feed=JournalFeed namespace=orders heap_mib="))
        .anyMatch(
            line -> line.startsWith("Shelf: shelf=small in=memory room_mib=1 (its own) ttl=PT10M"))
        .anyMatch(line -> line.startsWith("Shelf: shelf=main in=memory room_mib="))
        .contains("Shelves: main, small; rules: 1; what each says is told at debug")
        .contains("Rule: tables among [port]: kept on small");
    assertThat(WarmShelf.version()).matches("\\d+\\.\\d+\\.\\d+.*");
  }

  @Test
  void aQueryMadeAnewForEachCallAsksTheCatalogueNoMoreThanOneThatIsKept() throws Exception {
    AtomicInteger borrowed = new AtomicInteger();
    PGSimpleDataSource source = database.postgres();
    DataSource counting = mock(DataSource.class, AdditionalAnswers.delegatesTo(source));
    when(counting.getConnection())
        .then(
            call -> {
              borrowed.incrementAndGet();
              return source.getConnection();
            });
    try (WarmShelf other =
        WarmShelf.over(counting).following(JournalFeed.on(database.dataSource())).open()) {
      String text = "SELECT code FROM port WHERE id = :id";
      other.query(text).as(String.class).with("id", 1).only();
      int before = borrowed.get();
      for (int i = 0; i < 20; i++) {
        assertThat(other.query(text).as(String.class).with("id", 1).only().origin())
            .isEqualTo(Origin.KEPT);
      }
      assertThat(borrowed).hasValue(before);
    }
  }

  @Test
  void whatIsDeclaredToBeReadIsPartOfTheKey() throws Exception {
    database.run(
        "CREATE FUNCTION counted(text) RETURNS bigint STABLE LANGUAGE plpgsql AS"
            + " 'DECLARE n bigint; BEGIN EXECUTE format(''SELECT count(*) FROM %I'', $1) INTO n;"
            + " RETURN n; END'");
    Waiting.untilDelivered(warm);
    String text = "SELECT counted(:table)";
    ShelvedQuery<Long> ports = warm.query(text).reading("port").as(Long.class);
    ShelvedQuery<Long> notices = warm.query(text).reading("notice").as(Long.class);
    long before =
        ports.with("table", "notice").only().value(); // declared wrongly: never invalidated
    assertThat(notices.with("table", "notice").only().value()).isEqualTo(before);
    database.run("DELETE FROM notice WHERE id = 1");
    Waiting.untilDelivered(warm);
    assertThat(notices.with("table", "notice").only().value()).isEqualTo(before - 1);
    assertThat(warm.query(text).reading("port", "notice").as(Long.class).with("table", "x").key())
        .isEqualTo(
            warm.query(text).reading("notice", "port").as(Long.class).with("table", "x").key());
  }

  @Test
  void aViewStandsOnItsTablesAndAPartitionOnItsRoot() throws Exception {
    assertThat(footprint("SELECT count(*) FROM open_sailing")).isEqualTo("[public.sailing]");
    assertThat(footprint("SELECT count(*) FROM booking_2026_05")).isEqualTo("[public.booking]");
    assertThat(footprint(Questions.SEARCH))
        .isEqualTo("[public.booking, public.sailing, public.vessel]");
  }

  @Test
  void aTableWithoutTheJournalIsNotKeptUntilItHasOne() throws Exception {
    database.run("CREATE TABLE crew (id int)");
    ShelvedQuery<Long> crew = warm.query("SELECT count(*) FROM crew").as(Long.class);
    assertThat(crew.only().bypass())
        .hasValue("no feed tells about changes to public.crew; install the journal on that table");
    dev.warmshelf.journal.Journal.on(database.dataSource()).install(List.of("crew"));
    Waiting.until("the table is followed", () -> crew.only().origin() == Origin.KEPT);
    database.run("INSERT INTO crew VALUES (1)");
    Waiting.untilDelivered(warm);
    assertThat(crew.only().value()).isEqualTo(1);
  }

  @Test
  void whatCannotBeFollowedIsRefused() throws Exception {
    database.run("CREATE MATERIALIZED VIEW totals AS SELECT count(*) AS n FROM booking");
    database.run("ALTER TABLE agent ENABLE ROW LEVEL SECURITY");
    database.run(
        "CREATE FUNCTION quota(int) RETURNS bigint STABLE LANGUAGE sql"
            + " AS 'SELECT count(*) FROM booking WHERE agent_id = $1'");
    assertThat(refusal("SELECT n FROM totals")).contains("a materialized view");
    assertThat(refusal("SELECT count(*) FROM agent")).contains("row-level security");
    assertThat(refusal("SELECT quota(1)")).contains("may read tables");
    assertThat(refusal("SELECT count(*) FROM pg_class")).contains("a system catalogue");
    assertThat(refusal("SELECT count(*) FROM nowhere")).contains("\"nowhere\" does not exist");
  }

  @Test
  void errorsOfTheDatabaseReachTheCallerAndAreNotKept() throws Exception {
    ShelvedQuery<Integer> division =
        warm.query("SELECT 10 / id FROM port WHERE id = :id - 1 OR :id = 0 ORDER BY id LIMIT 1")
            .as(Integer.class);
    database.run("UPDATE port SET code = 'ZZZ' WHERE id = 1");
    ShelvedQuery<Integer> broken =
        warm.query("SELECT 1 / (id - 1) FROM port WHERE id = :id").as(Integer.class);
    for (int i = 0; i < 2; i++) {
      assertThatThrownBy(() -> broken.with("id", 1).only())
          .isInstanceOf(SQLException.class)
          .hasMessageContaining("division by zero");
    }
    assertThat(division.with("id", 2).only().value()).isEqualTo(10);
    assertThat(warm.shelf("main").meters().snapshot().get(Count.LOAD_FAILURES)).isEqualTo(2);
  }

  @Test
  void mistakesInAQuestionAreNamed() {
    ShelvedQuery<Port> port = warm.query("SELECT id, code FROM port WHERE id = :id").as(Port.class);
    assertThatThrownBy(port::list).hasMessageContaining("'id' has no value");
    assertThatThrownBy(() -> port.with("ID", 1))
        .hasMessageContaining("no parameter 'ID'; it has [id]");
    assertThatThrownBy(() -> port.with("id", new Object()).list()).hasMessageContaining("'id'");
    assertThatThrownBy(() -> warm.query("SELECT 1").on("arrivals"))
        .hasMessageContaining("no shelf 'arrivals'; there are [departures, main]");
    assertThatThrownBy(() -> warm.query("SELECT id FROM port WHERE id = 1").as(Port.class).list())
        .hasMessageContaining("No column fills Port.code; the answer has [id]");
    assertThatThrownBy(() -> warm.query("SELECT id FROM port").as(Thread.class))
        .hasMessageContaining("java.lang.Thread");
  }

  @Test
  void aShelfMustKnowHowItsAnswersStayTrue() throws Exception {
    assertThatThrownBy(() -> WarmShelf.over(database.dataSource()).open())
        .isInstanceOf(IllegalStateException.class)
        .hasMessageContaining("onTtlAlone()");
    try (WarmShelf alone = WarmShelf.over(database.dataSource()).onTtlAlone().open()) {
      ShelvedQuery<Long> ports = alone.query("SELECT count(*) FROM port").as(Long.class);
      ports.only();
      assertThat(ports.only().origin()).isEqualTo(Origin.KEPT);
      assertThat(alone.freshAsOf()).isEmpty();
    }
  }

  @Test
  void whatASessionUnlikeTheOthersAnswersIsNotShared() throws Exception {
    database.run(
        "CREATE SCHEMA yard; CREATE TABLE yard.crew AS SELECT 'yard' AS name;"
            + "CREATE TABLE public.crew AS SELECT 'public' AS name");
    dev.warmshelf.journal.Journal.on(database.dataSource())
        .install(List.of("public.crew", "yard.crew"));
    PGSimpleDataSource odd = database.postgres();
    odd.setCurrentSchema("yard,public");
    AtomicReference<PGSimpleDataSource> next = new AtomicReference<>(database.postgres());
    PGSimpleDataSource source =
        new PGSimpleDataSource() {
          private static final long serialVersionUID = 1L;

          @Override
          public Connection getConnection() throws SQLException {
            return next.getAndSet(database.postgres()).getConnection();
          }
        };
    try (WarmShelf mixed =
        WarmShelf.over(source).following(JournalFeed.on(database.dataSource())).open()) {
      ShelvedQuery<String> name = mixed.query("SELECT name FROM crew").as(String.class);
      assertThat(name.verdict()).isInstanceOf(Verdict.Keepable.class);
      next.set(odd);
      assertThat(name.only().value()).isEqualTo("yard"); // what that session answers, for itself
      assertThat(name.only().value()).isEqualTo("public");
      assertThat(name.only().bypass()).hasValue("unequal sessions");
    }
  }

  @Test
  void onceClosedTheDatabaseAnswersEachQuestion() throws Exception {
    ShelvedQuery<String> code = warm.query("SELECT code FROM port WHERE id = 1").as(String.class);
    code.only();
    warm.close();
    database.run("UPDATE port SET code = 'NEW' WHERE id = 1"); // nobody is told
    assertThat(code.only().value()).isEqualTo("NEW");
    assertThat(code.only().bypass()).hasValue("closed");
  }

  @Test
  void aSourceThatHandsOutOpenTransactionsIsReadInNewOnes() throws Exception {
    LingeringSource lingering = new LingeringSource(database.dataSource());
    try (WarmShelf pooled =
        WarmShelf.over(lingering.dataSource())
            .following(JournalFeed.on(database.dataSource()).polling(Duration.ofMillis(5)))
            .open()) {
      ShelvedQuery<String> code =
          pooled.query("SELECT code FROM port WHERE id = 1").as(String.class);
      lingering.beginOldSnapshot();
      database.run("UPDATE port SET code = 'NEW' WHERE id = 1");
      Waiting.untilDelivered(pooled);
      assertThat(code.only().value()).isEqualTo("NEW");
    }
  }

  @Test
  void rowsOfManyTypesKeepTheirValues() throws Exception {
    record Everything(
        short s,
        int i,
        long l,
        BigDecimal n,
        double d,
        boolean b,
        String t,
        LocalDate day,
        java.util.UUID u,
        List<Integer> many,
        byte[] raw,
        Optional<String> none) {}
    assertThatThrownBy(() -> warm.query("SELECT 1").as(Everything.class))
        .hasMessageContaining("Everything.none");
    record Most(
        short s,
        int i,
        long l,
        BigDecimal n,
        double d,
        boolean b,
        String t,
        LocalDate day,
        java.util.UUID u,
        List<Integer> many,
        byte[] raw,
        Instant at,
        Origin origin) {}
    ShelvedQuery<Most> most =
        warm.query(
                "SELECT 1::smallint AS s, 2 AS i, 3::bigint AS l, 1.50 AS n, 0.5::float8 AS d,"
                    + " true AS b, 'x' AS t, date '2026-05-01' AS day,"
                    + " '00000000-0000-0000-0000-000000000001'::uuid AS u, array[1, 2] AS many,"
                    + " '\\x0102'::bytea AS raw, timestamptz '2026-05-01 12:00:00Z' AS at,"
                    + " 'KEPT' AS origin")
            .as(Most.class);
    Most one = most.only().value();
    assertThat(one.n()).isEqualTo(new BigDecimal("1.50"));
    assertThat(one.many()).containsExactly(1, 2);
    assertThat(one.at()).isEqualTo(Instant.parse("2026-05-01T12:00:00Z"));
    assertThat(one.origin()).isEqualTo(Origin.KEPT);
    one.raw()[0] = 99;
    assertThat(most.only().origin()).isEqualTo(Origin.KEPT);
    assertThat(most.only().value().raw()).containsExactly(1, 2);
  }

  private String footprint(String sql) throws SQLException {
    Verdict verdict = warm.query(sql).as(Long.class).verdict();
    return ((Verdict.Keepable) verdict).tables().toString();
  }

  private String refusal(String sql) throws SQLException {
    Verdict verdict = warm.query(sql).as(Long.class).verdict();
    return ((Verdict.Refused) verdict).refusal().message();
  }
}
