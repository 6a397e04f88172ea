package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Shelf.WriteThrough;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import java.util.concurrent.atomic.AtomicReference;
import javax.sql.DataSource;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** An answer is shared only between equal sessions. */
class SessionsTest {
  private static final String CREW = "SELECT name FROM crew";

  private TestDatabase database;

  /** What the data source does to a connection when it hands it out. */
  private final AtomicReference<String> atCheckout = new AtomicReference<>("SELECT 1");

  private DataSource source;

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create();
    database.run(
        "DO $$ BEGIN CREATE ROLE deckhand; EXCEPTION WHEN duplicate_object THEN NULL; END $$;"
            + "CREATE SCHEMA yard; CREATE TABLE yard.crew AS SELECT 'yard' AS name;"
            + "CREATE TABLE public.crew AS SELECT 'public' AS name;"
            + "CREATE TABLE salary AS SELECT 90000 AS amount;"
            + "GRANT USAGE ON SCHEMA yard TO deckhand;"
            + "GRANT SELECT ON public.crew, yard.crew TO deckhand");
    Journal.on(database.dataSource()).install(List.of("public.crew", "yard.crew", "salary"));
    source = mock();
    when(source.getConnection()).then(call -> checkout());
  }

  private Connection checkout() throws SQLException {
    Connection connection = database.dataSource().getConnection();
    try (Statement statement = connection.createStatement()) {
      statement.execute(atCheckout.get());
    }
    return connection;
  }

  private WarmShelf.Builder shelf() {
    return WarmShelf.over(source).following(JournalFeed.on(database.dataSource()));
  }

  @Test
  void onceSessionsWereSeenToDifferTheDatabaseAnswersWhoeverItMayBe() throws Exception {
    try (WarmShelf warm = shelf().open()) {
      ShelvedQuery<Integer> salary = warm.query("SELECT amount FROM salary").as(Integer.class);
      ShelvedQuery<String> crew = warm.query(CREW).as(String.class);
      salary.only();
      assertThat(salary.only().origin()).isEqualTo(Origin.KEPT);
      atCheckout.set("SET ROLE deckhand");
      crew.only(); // shows that there are others
      assertThatThrownBy(salary::only)
          .as("a role without rights reads no salary")
          .hasMessageContaining("permission denied");
      atCheckout.set("SELECT 1");
      assertThat(salary.only().bypass()).hasValue("unequal sessions");
      assertThat(warm.shelf("main").meters().snapshot().get(BypassReason.UNEQUAL_SESSIONS))
          .isPositive();
      // Within a transaction, and on a connection of one's own, the session can be asked.
      warm.inTransaction(
          tx -> {
            assertThat(salary.question().within(tx).only().origin()).isEqualTo(Origin.KEPT);
            return null;
          });
      try (Connection mine = database.dataSource().getConnection();
          Statement statement = mine.createStatement()) {
        assertThat(salary.question().on(mine).only().origin()).isEqualTo(Origin.KEPT);
        statement.execute("SET ROLE deckhand");
        assertThat(crew.question().on(mine).only().bypass()).hasValue("unequal sessions");
      }
    }
  }

  @Test
  void sessionsThatAreNamedShareAnswersWithinTheirName() throws Exception {
    AtomicReference<String> tenant = new AtomicReference<>("public");
    try (WarmShelf warm = shelf().sessionsNamed(tenant::get).open()) {
      ShelvedQuery<String> crew = warm.query(CREW).as(String.class);
      for (String each : List.of("public", "yard", "public", "yard")) {
        tenant.set(each);
        atCheckout.set("SET search_path = " + each);
        assertThat(crew.only().value()).isEqualTo(each);
        assertThat(crew.only().origin()).isEqualTo(Origin.KEPT);
        assertThat(crew.only().lanes().toString()).contains(each + ".crew]");
      }
      database.run("UPDATE yard.crew SET name = 'dock'");
      Waiting.untilDelivered(warm);
      assertThat(crew.only().value()).isEqualTo("dock");
      tenant.set("public");
      assertThat(crew.only().origin()).isEqualTo(Origin.KEPT);
      // The name lies: whoever bears it is answered by the database, the others go on.
      crew.question().clear();
      assertThat(crew.only().value()).isEqualTo("dock");
      assertThat(crew.only().bypass()).hasValue("unequal sessions");
      tenant.set("yard");
      assertThat(crew.only().origin()).isEqualTo(Origin.KEPT);
    }
  }

  @Test
  void whatATransactionHasChangedOfItsSessionIsItsOwn() throws Exception {
    try (WarmShelf warm = shelf().open()) {
      ShelvedQuery<String> crew = warm.query(CREW).as(String.class);
      crew.only();
      for (String change :
          List.of(
              "SET LOCAL search_path = yard",
              "SELECT set_config('search_path', 'yard', true)",
              "DO $$ BEGIN PERFORM set_config('search_path', 'yard', true); END $$")) {
        warm.inTransaction(
            tx -> {
              tx.write(change).run();
              assertThat(crew.question().within(tx).only().value()).as(change).isEqualTo("yard");
              return null;
            });
        assertThat(crew.only().value()).isEqualTo("public");
      }
      // A view that calls a function changes it where no statement tells.
      database.run("CREATE VIEW sly AS SELECT set_config('search_path', 'yard', true) AS path");
      ShelvedQuery<String> sly = warm.query("SELECT path FROM public.sly").as(String.class);
      Waiting.untilDelivered(warm);
      crew.only();
      warm.inTransaction(
          tx -> {
            sly.question().within(tx).only();
            assertThat(crew.question().within(tx).only().value()).isEqualTo("yard");
            return null;
          });
    }
  }

  @Test
  void whatAnAlteredTransactionWritesThroughIsNotShared() throws Exception {
    try (WarmShelf warm = shelf().open()) {
      ShelvedQuery<String> crew = warm.query(CREW).as(String.class);
      crew.only();
      warm.inTransaction(
          tx -> {
            tx.write("SET LOCAL search_path = yard").run();
            tx.write("UPDATE crew SET name = 'dock' RETURNING name")
                .keep(crew.question(), WriteThrough.ANYWAY)
                .run();
            return null;
          });
      assertThat(crew.only().value()).isEqualTo("public");
      warm.inTransaction(
          tx -> {
            tx.write("UPDATE crew SET name = 'pier' RETURNING name")
                .keep(crew.question(), WriteThrough.ANYWAY)
                .run();
            return null;
          });
      assertThat(crew.only().origin()).isEqualTo(Origin.KEPT);
      assertThat(crew.only().value()).isEqualTo("pier");
    }
  }

  @Test
  void aTemporaryTableThatIsLeftOnAConnectionShadowsNothingForOthers() throws Exception {
    try (WarmShelf warm = shelf().open()) {
      ShelvedQuery<String> crew = warm.query(CREW).as(String.class);
      ShelvedQuery<String> other = warm.query(CREW + " WHERE true").as(String.class);
      crew.only();
      atCheckout.set("CREATE TEMP TABLE crew AS SELECT 'ghost' AS name");
      crew.question().clear();
      assertThat(crew.only().value())
          .as("what that session answers, for itself")
          .isEqualTo("ghost");
      assertThat(other.only().bypass()).hasValue("unequal sessions");
      atCheckout.set("SELECT 1");
      assertThat(crew.only().value()).isEqualTo("public");
      assertThat(crew.only().origin()).as("the others go on").isEqualTo(Origin.KEPT);
      assertThat(other.only().value()).isEqualTo("public");
      assertThat(other.only().origin()).isEqualTo(Origin.KEPT);
    }
  }

  @Test
  void aConnectionOfTheCallersIsLeftAsItIsAndItsWritesAreItsOwn() throws Exception {
    try (WarmShelf warm = shelf().open();
        Connection mine = database.dataSource().getConnection();
        Statement statement = mine.createStatement()) {
      ShelvedQuery<String> crew = warm.query(CREW).as(String.class);
      assertThat(crew.question().on(mine).only().origin()).isEqualTo(Origin.LOADED);
      assertThat(crew.question().on(mine).only().origin()).isEqualTo(Origin.KEPT);
      mine.setAutoCommit(false);
      statement.execute("UPDATE crew SET name = 'mine'");
      Reading<String> own = crew.question().on(mine).only();
      assertThat(own.value()).isEqualTo("mine");
      assertThat(own.bypass()).hasValueSatisfying(why -> assertThat(why).contains("written"));
      assertThat(crew.only().value()).isEqualTo("public");
      mine.rollback();
      mine.setTransactionIsolation(Connection.TRANSACTION_REPEATABLE_READ);
      assertThat(crew.question().on(mine).only().bypass())
          .hasValueSatisfying(why -> assertThat(why).contains("snapshot"));
      assertThat(mine.getAutoCommit()).isFalse();
      mine.rollback();
    }
  }

  /** Auto-commit does not tell of a transaction that a statement has begun. */
  @Tag("thorough")
  @ParameterizedTest
  @ValueSource(
      strings = {
        "BEGIN ISOLATION LEVEL REPEATABLE READ",
        "BEGIN; SET TRANSACTION ISOLATION LEVEL SERIALIZABLE",
        "SET default_transaction_isolation = 'repeatable read'; BEGIN",
      })
  void aSnapshotThatAStatementHasBegunIsTheCallersOwn(String begin) throws Exception {
    try (WarmShelf warm = shelf().open();
        Connection mine = database.dataSource().getConnection();
        Statement statement = mine.createStatement()) {
      ShelvedQuery<String> crew = warm.query(CREW).as(String.class);
      crew.only();
      for (String each : begin.split("; ", -1)) {
        statement.execute(each);
      }
      statement.execute("SELECT count(*) FROM public.crew"); // takes the snapshot
      database.run("UPDATE public.crew SET name = 'later'");
      Waiting.untilDelivered(warm);
      assertThat(crew.only().value()).isEqualTo("later");
      Reading<String> own = crew.question().on(mine).only();
      assertThat(own.value()).isEqualTo("public");
      assertThat(own.holdsStill()).as("of what is its caller's alone nobody knows").isFalse();
      statement.execute("ROLLBACK; SET default_transaction_isolation = 'repeatable read'");
      assertThat(crew.question().on(mine).only().value())
          .as("each statement has a snapshot of its own")
          .isEqualTo("later");
    }
  }

  @Tag("thorough")
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "SET bytea_output = escape | SELECT '\\x01ff'::bytea::text",
        "SET default_text_search_config = german | SELECT to_tsvector('sailings')::text",
        "SET array_nulls = off | SELECT ('{NULL}'::text[])::text",
        "SET xmlbinary = hex | SELECT name FROM crew",
        "SET extra_float_digits = 0 | SELECT 0.1::float8 + 0.2::float8",
        "SET transform_null_equals = on | SELECT count(*) FROM crew WHERE name = NULL",
        "SET quote_all_identifiers = on | SELECT quote_ident('a')",
        "SET IntervalStyle = iso_8601 | SELECT '1 day'::interval::text",
        "SET DateStyle = 'ISO, DMY' | SELECT '02/01/2026'::date::text",
        "SET lc_monetary = 'C' | SELECT 5::money::text",
        "SET timezone_abbreviations = 'India' | SELECT name FROM crew",
        "SET ROLE deckhand | SELECT name FROM crew",
      })
  void whatCanShowInAnAnswerMakesASessionAnother(String setting, String query) throws Exception {
    try (WarmShelf warm = shelf().open()) {
      ShelvedQuery<String> asked = warm.query(query).as(String.class);
      asked.only();
      atCheckout.set(setting);
      warm.shelf("main").clear();
      String direct;
      try (Connection connection = checkout();
          Statement statement = connection.createStatement();
          var row = statement.executeQuery(query)) {
        row.next();
        direct = row.getString(1);
      }
      assertThat(asked.only().value()).isEqualTo(direct);
      assertThat(asked.only().origin()).isEqualTo(Origin.DIRECT);
    }
  }
}
