package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.scenario.TroubledLine;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Shelf.WriteThrough;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Savepoint;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicBoolean;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.postgresql.ds.PGSimpleDataSource;

/** Writes, transactions and answers kept from them, on a real PostgreSQL. */
class OwnWritesTest {
  record Sailing(int id, String status, long version) {}

  private static final String SAILING = "SELECT id, status, version FROM sailing WHERE id = :id";
  private static final String DELAY =
      "UPDATE sailing SET status = 'DELAYED', version = version + 1 WHERE id = :id"
          + " RETURNING id, status, version";

  private TestDatabase database;
  private WarmShelf warm;
  private ShelvedQuery<Sailing> sailing;

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create();
    // So slow a poll that only hurrying makes a write known in time.
    warm = database.shelf(150).open();
    sailing = warm.query(SAILING).as(Sailing.class);
  }

  @AfterEach
  void close() {
    warm.close();
  }

  @Test
  void whoeverWritesReadsTheWriteAtOnceAndWhatItBroughtWithIt() throws Exception {
    ShelvedQuery<Long> bookings =
        warm.query("SELECT count(*) FROM booking WHERE sailing_id = :id").as(Long.class);
    long before = bookings.with("id", 1).only().value();
    assertThat(before).isPositive();
    for (int version = 2; version <= 20; version++) {
      assertThat(warm.write(DELAY).with("id", 1).run()).isEqualTo(1);
      assertThat(sailing.with("id", 1).only().value().version()).isEqualTo(version);
    }
    warm.write("DELETE FROM sailing WHERE id = :id").with("id", 1).run();
    assertThat(bookings.with("id", 1).only().value()).isZero(); // by the cascade
  }

  @Test
  void timeSavedGrowsWithHitsAndFallsWithCommits() throws Exception {
    sailing.with("id", 1).only();
    Duration cold = warm.timeSaved();
    sailing.with("id", 1).only();
    Duration warmed = warm.timeSaved();
    assertThat(warmed).as("a hit spares a load").isGreaterThan(cold);
    warm.write(DELAY).with("id", 1).run();
    assertThat(warm.timeSaved()).as("a commit costs").isLessThan(warmed);
    assertThat(warmed.minus(warm.timeSaved()).toNanos())
        .isEqualTo(warm.feedMeters().orElseThrow().commits().tookNanos());
  }

  @Test
  void whatATransactionReadsAfterItHasWrittenNobodyElseGets() throws Exception {
    sailing.with("id", 1).only();
    warm.inTransaction(
        tx -> {
          assertThat(sailing.with("id", 1).within(tx).only().origin()).isEqualTo(Origin.KEPT);
          assertThat(sailing.with("id", 2).within(tx).only().origin()).isEqualTo(Origin.LOADED);
          tx.write(DELAY).with("id", 1).run();
          Reading<Sailing> own = sailing.with("id", 1).within(tx).only();
          assertThat(own.value().status()).isEqualTo("DELAYED");
          assertThat(own.origin()).isEqualTo(Origin.DIRECT);
          assertThat(own.bypass()).contains("the transaction may have written");
          assertThat(sailing.with("id", 1).only().value().status()).isEqualTo("OPEN");
          return null;
        });
    assertThat(sailing.with("id", 1).only().value().status()).isEqualTo("DELAYED");
    assertThat(warm.shelf("main").meters().snapshot().get(BypassReason.IN_TRANSACTION))
        .isEqualTo(1);
  }

  @Test
  void aTransactionThatWritesByAFunctionIsFoundOutByTheDatabase() throws Exception {
    database.run(
        "CREATE FUNCTION sneak() RETURNS int LANGUAGE plpgsql AS 'BEGIN UPDATE sailing SET status ="
            + " ''SNEAKED'' WHERE id = 3; RETURN 1; END'");
    Waiting.until("the new function is known", () -> warm.freshAsOf().isPresent());
    ShelvedQuery<Integer> sneak = warm.query("SELECT sneak()").as(Integer.class);
    warm.inTransaction(
        tx -> {
          sneak.question().within(tx).only();
          assertThat(sailing.with("id", 3).within(tx).only().value().status()).isEqualTo("SNEAKED");
          try (Statement statement = tx.connection().createStatement()) {
            statement.execute("UPDATE sailing SET status = 'OPEN' WHERE id = 3");
          }
          return null;
        });
    assertThat(sailing.with("id", 3).only().value().status()).isEqualTo("OPEN");
  }

  @Test
  void aWriteThatNoTextTellsIsToldByTheServer() throws Exception {
    database.run(
        "CREATE FUNCTION sneak() RETURNS int LANGUAGE plpgsql AS 'BEGIN UPDATE sailing SET status ="
            + " ''SNEAKED'' WHERE id = 3; RETURN 1; END';"
            + "CREATE FUNCTION harmless(int) RETURNS int IMMUTABLE LANGUAGE plpgsql AS"
            + " 'BEGIN PERFORM sneak(); RETURN $1; END';"
            + "CREATE VIEW looks_harmless AS SELECT harmless(id) AS id FROM port WHERE id = 1");
    ShelvedQuery<Integer> looking = warm.query("SELECT id FROM looks_harmless").as(Integer.class);
    assertThatThrownBy(
            () ->
                warm.inTransaction(
                    tx -> {
                      looking.question().within(tx).only();
                      assertThat(sailing.with("id", 3).within(tx).only().value().status())
                          .isEqualTo("SNEAKED");
                      assertThat(sailing.with("id", 3).only().value().status())
                          .as("nobody else sees it")
                          .isEqualTo("OPEN");
                      throw new SQLException("never mind");
                    }))
        .hasMessage("never mind");
    assertThat(sailing.with("id", 3).only().value().status()).isEqualTo("OPEN");
  }

  @Test
  void whatIsReadFromASnapshotOfOnesOwnIsNotShared() throws Exception {
    PGSimpleDataSource source = database.postgres();
    source.setOptions("-c default_transaction_isolation=repeatable\\ read");
    try (WarmShelf repeatable =
        WarmShelf.over(source).following(JournalFeed.on(database.dataSource())).open()) {
      ShelvedQuery<Sailing> theirs = repeatable.query(SAILING).as(Sailing.class);
      repeatable.inTransaction(
          tx -> {
            theirs.with("id", 2).within(tx).only(); // takes the snapshot
            database.run("UPDATE sailing SET status = 'GONE' WHERE id = 1");
            try {
              Waiting.untilDelivered(repeatable);
            } catch (Exception e) {
              throw new SQLException(e);
            }
            Reading<Sailing> old = theirs.with("id", 1).within(tx).only();
            assertThat(old.value().status()).isEqualTo("OPEN");
            assertThat(old.origin()).isEqualTo(Origin.DIRECT);
            return null;
          });
      assertThat(theirs.with("id", 1).only().value().status()).isEqualTo("GONE");
    }
  }

  @Test
  void rollbacksPutNothingOutAndLeaveNothingBehind() throws Exception {
    sailing.with("id", 1).only();
    assertThatThrownBy(
            () ->
                warm.inTransaction(
                    tx -> {
                      tx.write(DELAY)
                          .with("id", 1)
                          .keep(sailing.with("id", 1), WriteThrough.ANYWAY)
                          .run();
                      throw new SQLException("changed my mind");
                    }))
        .hasMessage("changed my mind");
    assertThat(sailing.with("id", 1).only().origin()).isEqualTo(Origin.KEPT);
    assertThat(sailing.with("id", 1).only().value().status()).isEqualTo("OPEN");
    warm.inTransaction(
        tx -> {
          Connection connection = tx.connection();
          Savepoint before = connection.setSavepoint();
          try (Statement statement = connection.createStatement()) {
            statement.execute("UPDATE sailing SET status = 'GONE' WHERE id = 1");
          }
          connection.rollback(before);
          return null;
        });
    assertThat(sailing.with("id", 1).only().origin()).isEqualTo(Origin.KEPT);
  }

  /** The line is cut earlier or later in what the server says at a commit, byte by byte. */
  @Test
  void aCommitWhoseAnswerIsLostCountsAsOne() throws Exception {
    Set<String> outcomes = new HashSet<>();
    try (TroubledLine line = TroubledLine.to(database.postgres().getPortNumbers()[0])) {
      PGSimpleDataSource troubled = database.postgres();
      troubled.setPortNumbers(new int[] {line.port()});
      try (WarmShelf theirs =
          WarmShelf.over(troubled)
              .following(JournalFeed.on(database.dataSource()).polling(Duration.ofMinutes(10)))
              .shelf(WarmShelf.MAIN_SHELF, policy -> policy.tolerating(Duration.ofHours(9)))
              .open()) {
        ShelvedQuery<Sailing> query = theirs.query(SAILING).as(Sailing.class);
        boolean isCut = true;
        for (int bytes = 1; isCut; bytes += 11) {
          theirs.write("UPDATE sailing SET status = 'OPEN' WHERE id = 1").run();
          assertThat(query.with("id", 1).only().value().status()).isEqualTo("OPEN");
          isCut = commitsInVain(theirs, line, bytes);
          line.mend();
          String status = database.ask("SELECT status FROM sailing WHERE id = 1");
          outcomes.add(isCut + " " + status);
          assertThat(query.with("id", 1).only().value().status())
              .as("cut after %d bytes", bytes)
              .isEqualTo(status);
        }
      }
    }
    assertThat(outcomes)
        .as("lost before the commit, with what that said, and not at all")
        .containsExactlyInAnyOrder("true OPEN", "true DELAYED", "false DELAYED");
  }

  private static boolean commitsInVain(WarmShelf theirs, TroubledLine line, int bytes)
      throws SQLException {
    AtomicBoolean isDone = new AtomicBoolean();
    try {
      theirs.inTransaction(
          tx -> {
            tx.write(DELAY).with("id", 1).run();
            line.cutAfter(bytes);
            isDone.set(true);
            return null;
          });
      return false;
    } catch (SQLException e) {
      if (!isDone.get()) {
        throw e;
      }
      return true;
    }
  }

  @Test
  void whatAWriteReturnsIsReadableAtOnce() throws Exception { // E2
    Question<Sailing> one = sailing.with("id", 1);
    warm.write(DELAY).with("id", 1).keep(one, WriteThrough.IF_KEPT).run();
    assertThat(one.only().origin()).as("was not kept, so is not replaced").isEqualTo(Origin.LOADED);
    warm.write(DELAY).with("id", 1).keep(one, WriteThrough.IF_KEPT).run();
    Reading<Sailing> replaced = one.only();
    assertThat(replaced.origin()).isEqualTo(Origin.KEPT);
    assertThat(replaced.value()).isEqualTo(new Sailing(1, "DELAYED", 3));
    warm.write("UPDATE sailing SET status = 'OPEN', version = 9 WHERE id = 1")
        .keep(one, List.of(new Sailing(1, "OPEN", 9)), WriteThrough.ANYWAY)
        .run();
    assertThat(one.only().origin()).isEqualTo(Origin.KEPT);
    assertThat(one.only().value().version()).isEqualTo(9);
    warm.write("DELETE FROM sailing WHERE id = 1").run();
    assertThat(one.list().value()).isEmpty();
  }

  @Test
  void whatIsWrittenAgainInTheSameTransactionIsNotKept() throws Exception {
    warm.inTransaction(
        tx -> {
          tx.write(DELAY).with("id", 1).keep(sailing.with("id", 1), WriteThrough.ANYWAY).run();
          tx.write("UPDATE sailing SET version = 50 WHERE id = 1").run();
          return null;
        });
    assertThat(sailing.with("id", 1).only().value().version()).isEqualTo(50);
  }

  @Tag("thorough")
  @Test
  void ofTwoWhoWriteThroughAtOnceTheOlderValueNeverStays() throws Exception {
    ExecutorService pool = Executors.newFixedThreadPool(3);
    int kept = 0;
    try (WarmShelf other = database.shelf(3).open()) {
      ShelvedQuery<Sailing> theirs = other.query(SAILING).as(Sailing.class);
      for (int round = 0; round < 20; round++) {
        List<Callable<Integer>> writers = new ArrayList<>();
        for (WarmShelf each : List.of(warm, warm, other)) {
          ShelvedQuery<Sailing> query = each == warm ? sailing : theirs;
          writers.add(
              () ->
                  each.write(DELAY)
                      .with("id", 1)
                      .keep(query.with("id", 1), WriteThrough.ANYWAY)
                      .run());
        }
        for (Future<Integer> writer : pool.invokeAll(writers)) {
          assertThat(writer.get()).isEqualTo(1);
        }
        Waiting.untilDelivered(warm);
        long version = Long.parseLong(database.ask("SELECT version FROM sailing WHERE id = 1"));
        Reading<Sailing> reading = sailing.with("id", 1).only();
        kept += reading.origin() == Origin.KEPT ? 1 : 0;
        assertThat(reading.value().version()).as("round %d", round).isEqualTo(version);
      }
    } finally {
      pool.shutdownNow();
    }
    warm.write(DELAY).with("id", 1).keep(sailing.with("id", 1), WriteThrough.ANYWAY).run();
    assertThat(sailing.with("id", 1).only().origin()).isEqualTo(Origin.KEPT);
    System.out.println("written through by three at once: " + kept + " of 20 rounds kept one");
  }

  @Test
  void withoutAFeedAWriteStillPutsOutWhatItNames() throws Exception {
    try (WarmShelf alone = WarmShelf.over(database.dataSource()).onTtlAlone().open()) {
      ShelvedQuery<Sailing> query = alone.query(SAILING).as(Sailing.class);
      ShelvedQuery<Long> ports = alone.query("SELECT count(*) FROM port").as(Long.class);
      query.with("id", 1).only();
      ports.only();
      alone.write(DELAY).with("id", 1).keep(query.with("id", 1), WriteThrough.ANYWAY).run();
      assertThat(query.with("id", 1).only().value().status()).isEqualTo("DELAYED");
      assertThat(query.with("id", 1).only().origin()).isEqualTo(Origin.KEPT);
      assertThat(ports.only().origin()).isEqualTo(Origin.KEPT);
      alone.inTransaction(
          tx -> {
            try (Statement statement = tx.connection().createStatement()) {
              statement.execute("DELETE FROM notice"); // nobody knows what this did
            }
            return null;
          });
      assertThat(ports.only().origin()).isEqualTo(Origin.LOADED);
    }
  }

  @Test
  void tagsTablesKeysAndShelvesAreCleared() throws Exception { // E4, D7
    ShelvedQuery<Sailing> tagged =
        warm.query("SELECT id, status, version FROM sailing WHERE id = :id AND true")
            .tagged("timetable")
            .as(Sailing.class);
    Question<Sailing> spring = tagged.with("id", 1).tagged("spring");
    Question<Sailing> plain = sailing.with("id", 1);
    spring.only();
    plain.only();
    warm.clearTag("autumn");
    assertThat(spring.only().origin()).isEqualTo(Origin.KEPT);
    warm.clearTag("spring");
    assertThat(spring.only().origin()).isEqualTo(Origin.LOADED);
    warm.clearTag("timetable");
    assertThat(plain.only().origin()).isEqualTo(Origin.KEPT);
    assertThat(spring.only().origin()).isEqualTo(Origin.LOADED);
    plain.clear();
    assertThat(spring.only().origin()).isEqualTo(Origin.KEPT);
    assertThat(plain.only().origin()).isEqualTo(Origin.LOADED);
    warm.clearTable("public", "sailing");
    assertThat(plain.only().origin()).isEqualTo(Origin.LOADED);
    warm.shelf("main").clear();
    assertThat(spring.only().origin()).isEqualTo(Origin.LOADED);
    warm.clearAll();
    assertThat(spring.only().origin()).isEqualTo(Origin.LOADED);
  }

  @Test
  void valuesThatAreNoQuerysAreKeptUnderNames() throws Exception { // B5
    ShelvedValues<String> notes =
        warm.values("notes", String.class).madeFrom("public", "notice").tagged("texts");
    assertThat(notes.get("a", 1)).isEmpty();
    assertThat(notes.put("first", notes.mark(), "a", 1)).isTrue();
    assertThat(notes.get("a", 1).orElseThrow().value()).isEqualTo("first");
    assertThat(notes.get("a1")).isEmpty();
    warm.write("UPDATE notice SET version = 2 WHERE id = 1").run();
    assertThat(notes.get("a", 1)).isEmpty();
    var fence = notes.mark();
    warm.write("UPDATE notice SET version = 3 WHERE id = 1").run();
    assertThat(notes.put("from before", fence, "a", 1)).isFalse();
    assertThat(notes.get(() -> "worked out", "a", 1).origin()).isEqualTo(Origin.LOADED);
    assertThat(notes.get(() -> "again", "a", 1).value()).isEqualTo("worked out");
    notes.remove("a", 1);
    assertThat(notes.get("a", 1)).isEmpty();
    assertThatThrownBy(() -> notes.madeFrom("public", "nowhere")).hasMessageContaining("nowhere");
  }

  @Test
  void aCallerMayAskForAnAnswerThatIsFreshEnough() throws Exception { // Z4
    Question<Sailing> one = sailing.with("id", 1);
    one.only();
    assertThat(one.freshWithin(Duration.ofMinutes(1)).only().origin()).isEqualTo(Origin.KEPT);
    assertThat(one.freshWithin(Duration.ofDays(200_000)).only().origin()).isEqualTo(Origin.KEPT);
    assertThat(one.freshWithin(Duration.ZERO).only().origin()).isEqualTo(Origin.LOADED);
  }

  @Test
  void settingsChangedOnAPooledConnectionAreNoticedAtEachLoad() throws Exception {
    LingeringSource pooled = new LingeringSource(database.dataSource());
    try (WarmShelf theirs =
        WarmShelf.over(pooled.dataSource())
            .following(JournalFeed.on(database.dataSource()))
            .open()) {
      ShelvedQuery<Sailing> query = theirs.query(SAILING).as(Sailing.class);
      query.with("id", 1).only();
      assertThat(query.with("id", 1).only().origin()).isEqualTo(Origin.KEPT);
      try (Connection connection = pooled.dataSource().getConnection();
          Statement statement = connection.createStatement()) {
        statement.execute("SET TimeZone = 'Pacific/Chatham'"); // and left so
      }
      query.with("id", 2).only();
      assertThat(query.with("id", 2).only().bypass()).hasValue("unequal sessions");
    }
  }
}
