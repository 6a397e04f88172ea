package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Rule;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Savepoint;
import java.sql.Statement;
import java.time.Duration;
import java.util.List;
import java.util.Random;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.locks.LockSupport;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * Commits that are told by their own transaction, over a feed that looks only when it is hurried:
 * what was not told in the right way is not read.
 */
class OwnCommitTest {
  private static final String READ =
      "SELECT id, owner, status FROM crate WHERE owner = ? ORDER BY id";
  private static final String OURS =
      "SELECT id, owner, status FROM crate WHERE owner = :o ORDER BY id";

  record Crate(int id, Integer owner, String status) {}

  private TestDatabase database;
  private WarmShelf warm;
  private ShelvedQuery<Crate> crates;

  @BeforeEach
  void open() throws Exception {
    database =
        TestDatabase.create(
            """
            CREATE TABLE crate (id int PRIMARY KEY, owner int, status text NOT NULL);
            CREATE TABLE log (id int REFERENCES crate DEFERRABLE INITIALLY DEFERRED, note text);
            INSERT INTO crate SELECT i, i % 10, 'OPEN' FROM generate_series(1, 1000) i;
            """,
            List.of("crate:owner,id", "log"));
    warm =
        database
            .shelf(600_000)
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy.tolerating(Duration.ofHours(9)))
            .keeping(Rule.ofTablesAmong("crate", "log"))
            .open();
    crates = warm.query(OURS).as(Crate.class);
    keptOf(-1, "OPEN"); // where nothing is kept there is nothing to tell
  }

  @AfterEach
  void close() {
    warm.close();
  }

  private FeedMeters.Commits commits() {
    return commits(warm);
  }

  private static FeedMeters.Commits commits(WarmShelf of) {
    return of.feedMeters().orElseThrow().commits();
  }

  private static void assertCounts(FeedMeters.Commits commits, long told, long waited) {
    assertThat(List.of(commits.told(), commits.waited())).isEqualTo(List.of(told, waited));
  }

  private void assertTold(long told, long waited) {
    assertCounts(commits(), told, waited);
    assertThat(commits().tookNanos()).as("what they took").isPositive();
  }

  private long keptOf(int owner, String status) throws SQLException {
    return crates.with("o", owner).list().value().stream()
        .filter(crate -> crate.status().equals(status))
        .count();
  }

  /** As a program of JDBC's sees it. */
  private long plainOf(Connection connection, int owner, String status) throws SQLException {
    long found = 0;
    try (PreparedStatement statement = connection.prepareStatement(READ)) {
      statement.setInt(1, owner);
      try (ResultSet rows = statement.executeQuery()) {
        while (rows.next()) {
          found += rows.getString("status").equals(status) ? 1 : 0;
        }
      }
    }
    return found;
  }

  private void runs(Connection connection, String... texts) throws SQLException {
    for (String text : texts) {
      try (Statement statement = connection.createStatement()) {
        statement.execute(text);
      }
    }
  }

  /** What is not analysed yet cannot be told: the first time of each text is for that. */
  private void knows(String text) throws Exception {
    try (Connection connection = warm.dataSource().getConnection()) {
      connection.setAutoCommit(false);
      runs(connection, text);
      connection.rollback();
    }
    try (Connection connection = warm.dataSource().getConnection()) {
      Waiting.until(
          "the statement is known",
          () -> {
            connection.setAutoCommit(false);
            runs(connection, text);
            long before = commits().told();
            connection.commit();
            return commits().told() > before;
          });
    }
  }

  @Test
  void whereNothingIsKeptNothingIsAsked() throws Exception {
    try (WarmShelf other =
        database.shelf(600_000).keeping(Rule.ofTablesAmong("crate", "log")).open()) {
      ShelvedQuery<Crate> query = other.query(OURS).as(Crate.class);
      other.inTransaction(t -> t.write("UPDATE crate SET status = 'SHUT' WHERE id = 1").run());
      try (Connection connection = other.dataSource().getConnection()) {
        runs(connection, "UPDATE crate SET status = 'SHUT' WHERE id = 2");
        connection.setAutoCommit(false);
        runs(connection, "UPDATE crate SET status = 'SHUT' WHERE id = 3");
        connection.commit();
      }
      assertCounts(commits(other), 0, 0);
      assertThat(commits(other).tookNanos()).isZero();
      for (int owner = 1; owner <= 3; owner++) {
        Reading<List<Crate>> reading = query.with("o", owner).list();
        assertThat(reading.value().get(0).status()).isEqualTo("SHUT");
        assertThat(query.with("o", owner).list().origin()).isEqualTo(Origin.KEPT);
      }
      other.inTransaction(t -> t.write("UPDATE crate SET status = 'LOST' WHERE id = 1").run());
      assertThat(query.with("o", 1).list().value().get(0).status()).isEqualTo("LOST");
      assertThat(commits(other).told() + commits(other).waited()).isEqualTo(1);
    }
  }

  /** A value on its way is nothing that a shelf loads, but it may come to be kept. */
  @Test
  void whoPutsValuesHimselfIsToldOfAll() throws Exception {
    try (WarmShelf other = database.shelf(600_000).open()) {
      ShelvedValues<String> values =
          other.values("statuses", String.class).madeFrom("public", "crate");
      ShelvedValues.Mark mark = values.mark();
      other.inTransaction(t -> t.write("UPDATE crate SET status = 'SHUT' WHERE id = 1").run());
      assertThat(values.put("from before", mark, 1)).isFalse();
    }
  }

  @Test
  void aCommitIsKnownAtOnceAndIsNotToldTwice() throws Exception {
    assertThat(keptOf(1, "SHUT")).isZero();
    assertThat(keptOf(2, "SHUT")).isZero();
    warm.write("UPDATE crate SET status = 'SHUT' WHERE id = :id").with("id", 11).run();
    assertTold(1, 0);
    assertThat(keptOf(1, "SHUT")).isEqualTo(1);
    assertThat(crates.with("o", 2).list().origin()).isEqualTo(Origin.KEPT);
    database.run("UPDATE crate SET status = 'GONE' WHERE id = 3"); // makes the feed look
    warm.inTransaction(
        tx -> {
          runs(tx.connection(), "UPDATE crate SET status = 'SHUT' WHERE id = 13");
          return null;
        });
    assertThat(commits().waited()).isEqualTo(1);
    Reading<?> kept = crates.with("o", 1).list();
    assertThat(kept.origin()).as("was loaded after it was told").isEqualTo(Origin.KEPT);
  }

  @Test
  void aProgramOfJdbcsSoToo() throws Exception {
    String shut = "UPDATE crate SET status = 'SHUT' WHERE id = 21";
    String open = "UPDATE crate SET status = 'OPEN' WHERE id = 21";
    Waiting.until(
        "each statement is known",
        () -> {
          FeedMeters.Commits before = commits();
          boolean wasKept;
          try (Connection connection = warm.dataSource().getConnection()) {
            connection.setAutoCommit(false);
            assertThat(plainOf(connection, 1, "SHUT")).isZero();
            runs(connection, shut);
            connection.commit();
            assertThat(plainOf(connection, 1, "SHUT")).isEqualTo(1);
            long hits = warm.shelf("main").meters().snapshot().get(Count.HITS);
            assertThat(plainOf(connection, 1, "SHUT")).isEqualTo(1);
            wasKept = warm.shelf("main").meters().snapshot().get(Count.HITS) > hits;
            runs(connection, open);
            connection.commit();
          }
          return wasKept && commits().told() == before.told() + 2;
        });
  }

  @Test
  void whatCascadesTriggersAndDeferredOnesHaveChangedIsTold() throws Exception {
    database.run(
        """
        CREATE FUNCTION later() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN
          UPDATE crate SET status = 'LATER' WHERE id = 45;
          RETURN NULL;
        END $$;
        CREATE CONSTRAINT TRIGGER later AFTER UPDATE ON crate DEFERRABLE INITIALLY DEFERRED
          FOR EACH ROW WHEN (NEW.id = 34) EXECUTE FUNCTION later();
        """);
    Waiting.until("the schema is known", this::hasSettled);
    assertThat(keptOf(5, "LATER")).isZero();
    long told = commits().told();
    warm.write("UPDATE crate SET status = 'SHUT' WHERE id = :id").with("id", 34).run();
    assertThat(commits().told()).isEqualTo(told + 1);
    assertThat(keptOf(5, "LATER")).isEqualTo(1);
    assertThat(keptOf(4, "SHUT")).isEqualTo(1);
  }

  /** Looks, by a commit that waits. */
  private boolean hasSettled() throws SQLException {
    warm.inTransaction(
        tx -> {
          runs(tx.connection(), "UPDATE crate SET status = 'OPEN' WHERE id = 999");
          return null;
        });
    return warm.feedMeters().orElseThrow().state() == FeedMeters.State.LIVE;
  }

  @Test
  void aConstraintThatFailsAtTheCommitFailsAsItWouldHave() throws Exception {
    assertThatThrownBy(
            () -> warm.write("INSERT INTO log VALUES (:id, 'x')").with("id", 5_000).run())
        .isInstanceOfSatisfying(
            SQLException.class, e -> assertThat(e.getSQLState()).isEqualTo("23503"))
        .hasMessageContaining("log_id_fkey");
    assertThat(database.ask("SELECT count(*) FROM log")).isEqualTo("0");
    warm.write("INSERT INTO log VALUES (:id, 'x')").with("id", 5).run();
    assertThat(database.ask("SELECT count(*) FROM log")).isEqualTo("1");
  }

  /** Each of them in a transaction that changes crate 57 as well; then the commit waits. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "a text that nobody can tell what it does|SELECT status; UPDATE crate SET status = 'X'",
        "a commit within|COMMIT; BEGIN",
        "a cursor that runs at the commit|DECLARE c CURSOR WITH HOLD FOR SELECT 1 FROM crate",
        "a change of the schema|ALTER TABLE crate ADD COLUMN more int",
        "a table emptied|TRUNCATE log"
      })
  void whatATransactionCannotTellTheFeedDoes(String what, String text) throws Exception {
    assertThat(keptOf(7, "SHUT")).isZero();
    FeedMeters.Commits before = commits();
    try (Connection connection = warm.dataSource().getConnection()) {
      connection.setAutoCommit(false);
      runs(connection, "UPDATE crate SET status = 'SHUT' WHERE id = 57");
      try {
        runs(connection, text);
      } catch (SQLException e) {
        connection.rollback();
        runs(connection, "UPDATE crate SET status = 'SHUT' WHERE id = 57");
      }
      connection.commit();
    }
    assertThat(keptOf(7, "SHUT")).as(what).isEqualTo(1);
    assertThat(commits().waited()).as(what).isGreaterThan(before.waited());
  }

  @Test
  void norDoesOneThatIsSerializableOrChangesVeryMuch() throws Exception {
    knows("UPDATE crate SET status = 'SHUT' WHERE id = 67");
    FeedMeters.Commits before = commits();
    try (Connection connection = warm.dataSource().getConnection()) {
      connection.setAutoCommit(false);
      connection.setTransactionIsolation(Connection.TRANSACTION_SERIALIZABLE);
      runs(connection, "UPDATE crate SET status = 'SHUT' WHERE id = 67");
      connection.commit();
    }
    warm.inTransaction(
        tx -> {
          for (int i = 1; i <= 201; i++) {
            tx.write("UPDATE crate SET status = 'SHUT' WHERE id = :id").with("id", i).run();
          }
          return null;
        });
    assertCounts(commits(), before.told(), before.waited() + 2);
    assertThat(keptOf(1, "SHUT")).isEqualTo(21);
  }

  /**
   * Somebody else has moved a crate to another owner, and the feed does not know yet: what we make
   * of it is not in the lanes of the owner who is still shown with it.
   */
  @Test
  void whatStandsOnSomebodyElsesChangeIsToldAfterThat() throws Exception {
    assertThat(keptOf(8, "OPEN")).isEqualTo(100);
    database.run("UPDATE crate SET owner = 2 WHERE id = 78");
    FeedMeters.Commits before = commits();
    warm.write("UPDATE crate SET status = 'SHUT' WHERE id = :id").with("id", 78).run();
    assertThat(commits().waited()).isEqualTo(before.waited() + 1);
    assertThat(keptOf(8, "OPEN")).isEqualTo(99);
    database.run("UPDATE crate SET owner = 2 WHERE id = 88");
    warm.write("UPDATE crate SET status = 'SHUT' WHERE id = :id").with("id", 99).run();
    assertThat(commits().waited()).as("another row").isEqualTo(before.waited() + 1);
    assertThat(keptOf(9, "OPEN")).isEqualTo(99);
    assertThat(keptOf(6, "OPEN")).isEqualTo(100);
    database.run("UPDATE crate SET owner = NULL WHERE id = 16");
    warm.write("UPDATE crate SET status = :s WHERE id = 16").with("s", "SHUT").run();
    assertThat(keptOf(6, "OPEN")).as("null is a value, too").isEqualTo(99);
    database.run("DELETE FROM crate WHERE id = 26");
    warm.write("INSERT INTO crate VALUES (26, 3, :s)").with("s", "OPEN").run();
    assertThat(keptOf(6, "OPEN")).as("a row may come back").isEqualTo(98);
  }

  @Test
  void aRoleThatMayNotAskWaits() throws Exception {
    database.run("CREATE ROLE clerk_" + database.hashCode() + " LOGIN PASSWORD 'secret'");
    String role = "clerk_" + database.hashCode();
    database.run("GRANT SELECT, INSERT, UPDATE ON crate, log TO " + role);
    PGSimpleDataSource theirs = database.postgres();
    theirs.setUser(role);
    theirs.setPassword("secret");
    try (WarmShelf other =
        WarmShelf.over(theirs).following(JournalFeed.on(database.dataSource())).open()) {
      ShelvedQuery<Crate> query = other.query(OURS).as(Crate.class);
      assertThat(query.with("o", 1).list().value()).hasSize(100);
      for (int i = 0; i < 2; i++) {
        other.write("UPDATE crate SET status = :s WHERE id = 1").with("s", "S" + i).run();
        assertThat(query.with("o", 1).list().value().get(0).status()).isEqualTo("S" + i);
      }
      assertCounts(other.feedMeters().orElseThrow().commits(), 0, 2);
    } finally {
      database.run("DROP OWNED BY " + role + "; DROP ROLE " + role);
    }
  }

  /** With a part of it taken back, whatever the driver sets before statements, and sends how. */
  @Tag("thorough")
  @ParameterizedTest
  @CsvSource({
    "never,extended",
    "always,extended",
    "conservative,extended",
    "always,extendedForPrepared",
    "always,extendedCacheEverything",
    "always,simple"
  })
  void howeverTheDriverIsSetTheSameIsTold(String autosave, String mode) throws Exception {
    PGSimpleDataSource theirs = database.postgres();
    theirs.setProperty("autosave", autosave);
    theirs.setProperty("preferQueryMode", mode);
    theirs.setProperty("cleanupSavepoints", "true");
    try (WarmShelf other =
        WarmShelf.over(theirs)
            .following(JournalFeed.on(database.dataSource()).polling(Duration.ofMinutes(10)))
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy.tolerating(Duration.ofHours(9)))
            .keeping(Rule.ofTablesAmong("crate"))
            .open()) {
      ShelvedQuery<Crate> query = other.query(OURS).as(Crate.class);
      for (int round = 0; round < 12; round++) { // until each text is known, and prepared
        query.with("o", 1).list();
        query.with("o", 2).list();
        try (Connection connection = other.dataSource().getConnection()) {
          connection.setAutoCommit(false);
          runs(connection, "UPDATE crate SET status = status || '+' WHERE id = 1");
          Savepoint before = connection.setSavepoint();
          runs(connection, "UPDATE crate SET status = status || '-' WHERE id = 2");
          connection.rollback(before);
          connection.commit();
        }
        assertThat(query.with("o", 1).list().value().get(0).status())
            .isEqualTo("OPEN" + "+".repeat(round + 1));
        assertThat(query.with("o", 2).list().value().get(0).status()).isEqualTo("OPEN");
      }
      FeedMeters.Commits commits = other.feedMeters().orElseThrow().commits();
      assertThat(commits.told() + commits.waited()).isEqualTo(12);
      assertThat(commits.told()).as("%s", commits).isPositive();
    }
  }

  @Test
  void whoeverChangesNothingWaitsForNothing() throws Exception {
    warm.write("UPDATE crate SET status = 'SHUT' WHERE id = :id").with("id", -1).run();
    assertTold(1, 0);
  }

  /**
   * Somebody moves crates from owner to owner all the time, where the feed looks seldom; we write
   * numbers on the same ones. No list shows one of them as it was before our number.
   */
  @Tag("thorough")
  @Test
  void noListShowsARowAsItWasBeforeAnOwnCommit() throws Exception {
    int crates = 8;
    int rounds = 120;
    AtomicBoolean done = new AtomicBoolean();
    ExecutorService threads = Executors.newSingleThreadExecutor();
    try (WarmShelf seldom =
        database
            .shelf(40)
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy.tolerating(Duration.ofHours(9)))
            .open()) {
      ShelvedQuery<Crate> query = seldom.query(OURS).as(Crate.class);
      Future<?> mover = threads.submit(() -> move(crates, done));
      for (int round = 1; round <= rounds; round++) {
        int id = 1 + round % crates;
        for (int owner = 0; owner < 3; owner++) {
          query.with("o", owner).list();
        }
        String number = Integer.toString(round);
        seldom
            .write("UPDATE crate SET status = :s WHERE id = :id")
            .with("s", number)
            .with("id", id)
            .run();
        for (int owner = 0; owner < 3; owner++) {
          assertThat(query.with("o", owner).list().value())
              .filteredOn(crate -> crate.id() == id)
              .as("round %d, owner %d", round, owner)
              .allMatch(crate -> crate.status().equals(number));
        }
      }
      done.set(true);
      mover.get(1, TimeUnit.MINUTES);
      FeedMeters.Commits commits = seldom.feedMeters().orElseThrow().commits();
      assertThat(commits.told()).as("some were told: %s", commits).isPositive();
      assertThat(commits.waited()).as("some had to wait: %s", commits).isPositive();
    } finally {
      done.set(true);
      threads.shutdownNow();
    }
  }

  private @Nullable Void move(int crates, AtomicBoolean done) throws SQLException {
    Random random = new Random(1);
    try (Connection connection = database.dataSource().getConnection();
        PreparedStatement statement =
            connection.prepareStatement("UPDATE crate SET owner = ? WHERE id = ?")) {
      while (!done.get()) {
        statement.setInt(1, random.nextInt(3));
        statement.setInt(2, 1 + random.nextInt(crates));
        statement.executeUpdate();
        LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(3));
      }
      return null;
    }
  }
}
