package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Count;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.shelf.WarmStart;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.spi.feed.FeedException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import javax.sql.DataSource;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.postgresql.ds.PGSimpleDataSource;

/** Shelves that are opened before the database or its journal is ready. */
class JoiningTest {
  private static final String NAME = "SELECT name FROM port WHERE id = ?";
  private TestDatabase database;

  @BeforeEach
  void createWithoutJournal() throws Exception {
    database = TestDatabase.create();
    Journal.on(database.dataSource()).remove();
  }

  private void install() throws SQLException {
    Journal.on(database.dataSource()).install(SkerryLine.FOLLOWED);
  }

  private WarmShelf.Builder over(DataSource source) {
    return WarmShelf.over(source)
        .following(JournalFeed.on(source).polling(Duration.ofMillis(5)))
        .keeping(Rule.ofTablesAmong("port"))
        .joiningLater();
  }

  private static void untilJoined(WarmShelf warm) throws Exception {
    Waiting.until("it has joined", () -> warm.health().state() == Health.State.LIVE);
  }

  private static Reading<List<String>> asked(WarmShelf warm, int id) throws SQLException {
    return warm.query("SELECT name FROM port WHERE id = :id")
        .as(String.class)
        .with("id", id)
        .list();
  }

  private static String asked(Connection connection, int id) throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(NAME)) {
      statement.setInt(1, id);
      try (ResultSet row = statement.executeQuery()) {
        row.next();
        return row.getString(1);
      }
    }
  }

  private static void rename(Connection connection, int id, String name) throws SQLException {
    try (PreparedStatement statement =
        connection.prepareStatement("UPDATE port SET name = ? WHERE id = ?")) {
      statement.setString(1, name);
      statement.setInt(2, id);
      statement.executeUpdate();
    }
  }

  @Test
  void theDatabaseAnswersUntilTheJournalIsThere() throws Exception {
    try (WarmShelf warm = over(database.dataSource()).open();
        Connection before = warm.dataSource().getConnection()) {
      Health health = warm.health();
      assertThat(health.state()).isEqualTo(Health.State.WAITING);
      assertThat(health.isWell()).isFalse();
      assertThat(health.why()).contains("not installed").contains("shelf feed install");
      assertThat(health.shelves().get("main")).contains("the database's answers");
      for (int i = 0; i < 2; i++) {
        assertThat(asked(warm, 1).origin()).isEqualTo(Origin.DIRECT);
        assertThat(asked(before, 1)).isEqualTo(database.ask("SELECT name FROM port WHERE id = 1"));
      }
      assertThat(warm.shelf("main").meters().snapshot().get(BypassReason.FEED_LOST))
          .isGreaterThanOrEqualTo(2);
      assertThat(warm.refusals()).isEmpty();
      assertThat(warm.atOneMoment(1, () -> asked(warm, 1)).at()).isEmpty();

      rename(before, 1, "Before");
      install();
      untilJoined(warm);

      assertThat(asked(warm, 1).value()).containsExactly("Before");
      Waiting.until("answers are kept", () -> asked(warm, 1).origin() == Origin.KEPT);
      rename(before, 1, "After"); // on a connection from before it had joined
      assertThat(asked(warm, 1).value()).containsExactly("After");
      long hits = warm.shelf("main").meters().snapshot().get(Count.HITS);
      Waiting.until(
          "it is answered from a shelf",
          () -> {
            assertThat(asked(before, 1)).isEqualTo("After");
            return warm.shelf("main").meters().snapshot().get(Count.HITS) > hits;
          });
      database.run("UPDATE port SET name = 'By another' WHERE id = 1");
      Waiting.untilDelivered(warm);
      assertThat(asked(before, 1)).isEqualTo("By another");
    }
  }

  @Test
  void whatIsWorkedOutBeforeIsNotServedAfterwards() throws Exception {
    try (WarmShelf warm = over(database.dataSource()).open()) {
      ShelvedValues<String> values =
          warm.values("boards", String.class).madeFrom("public", "port").tagged("boards");
      ShelvedValues<String> strange =
          warm.values("others", String.class).madeFrom("public", "nobody_follows_it");
      AtomicInteger runs = new AtomicInteger();
      Computation<String> computation = warm.computation("board");
      for (int i = 0; i < 2; i++) {
        values.get(() -> "old" + runs.incrementAndGet(), 1);
        computation.get(() -> asked(warm, 1).value().get(0) + runs.incrementAndGet());
        assertThat(values.put("old", values.mark(), 2)).isFalse();
      }
      assertThat(runs).hasValue(4);
      ShelvedValues<String> tagged = warm.values("tagged", String.class).tagged("boards");
      assertThat(tagged.get(() -> "alone", 1).origin()).isEqualTo(Origin.DIRECT);
      assertThat(tagged.get(1)).isEmpty();
      var fence = values.mark();
      assertThat(warm.query(NAME.replace("?", ":id")).as(String.class).verdict().toString())
          .contains("NOT_FOLLOWED");

      install();
      untilJoined(warm);

      assertThat(values.get(1)).isEmpty();
      assertThat(values.put("from before", fence, 2)).isFalse();
      assertThat(computation.get(() -> "new").value()).isEqualTo("new");
      // The feed may have seen the journal half installed, and puts everything out once more.
      Waiting.until("values are kept", () -> values.get(() -> "new", 1).origin() == Origin.KEPT);
      assertThat(values.get(1).orElseThrow().value()).isEqualTo("new");
      assertThat(strange.get(() -> "never kept", 1).origin()).isEqualTo(Origin.DIRECT);
      assertThat(strange.get(() -> "indeed", 1).value()).isEqualTo("indeed");
      assertThat(strange.put("never kept", strange.mark(), 1)).isFalse();
      assertThat(asked(warm, 1).origin()).isIn(Origin.LOADED, Origin.KEPT);
      assertThatThrownBy(() -> values.madeFrom("public", "nobody_follows_it"))
          .isInstanceOf(IllegalArgumentException.class);
      assertThat(AnswerShelf.of(warm.shelf("main")).held()).isNotEmpty();
      assertThat(warm.engine().isFollowed(Lane.ofTable("public", "port"))).isTrue();
    }
  }

  /** Readers and writers meet the moment of joining at any of their steps. */
  @Tag("thorough")
  @Test
  void nobodyMissesHisOwnCommitAsItJoins() throws Exception {
    ExecutorService programs = Executors.newFixedThreadPool(4);
    try {
      for (int round = 0; round < 3; round++) {
        createWithoutJournal();
        AtomicBoolean over = new AtomicBoolean();
        try (WarmShelf warm = over(database.dataSource()).open()) {
          List<Future<Integer>> all = new ArrayList<>();
          for (int id = 1; id <= 4; id++) {
            int own = id;
            all.add(programs.submit(() -> writesAndReads(warm, own, over)));
          }
          install();
          untilJoined(warm);
          long joined = warm.shelf("main").meters().snapshot().get(Count.HITS);
          Waiting.until(
              "shelves answer",
              () -> warm.shelf("main").meters().snapshot().get(Count.HITS) > joined + 50);
          over.set(true);
          for (Future<Integer> each : all) {
            assertThat(each.get()).isPositive();
          }
        }
      }
    } finally {
      programs.shutdownNow();
    }
  }

  private static int writesAndReads(WarmShelf warm, int id, AtomicBoolean over)
      throws SQLException {
    int done = 0;
    try (Connection kept = warm.dataSource().getConnection()) {
      while (!over.get()) {
        String name = "name " + id + " " + done++;
        if (done % 3 == 0) {
          kept.setAutoCommit(false);
          rename(kept, id, name);
          kept.commit();
          kept.setAutoCommit(true);
        } else {
          rename(kept, id, name);
        }
        for (int i = 0; i < 3; i++) {
          assertThat(asked(warm, id).value()).containsExactly(name);
          assertThat(asked(kept, id)).isEqualTo(name);
        }
      }
    }
    return done;
  }

  @Test
  void aDatabaseThatIsNotThereYetIsJoinedOnceItIs() throws Exception {
    install();
    AtomicBoolean there = new AtomicBoolean();
    DataSource real = database.dataSource();
    DataSource source = mock();
    when(source.getConnection())
        .then(
            call -> {
              if (there.get()) {
                return real.getConnection();
              }
              throw new SQLException("nobody is at home", "08001");
            });
    assertThatThrownBy(() -> over(source).coldStart().open())
        .hasMessageContaining("nobody is at home");
    try (WarmShelf warm = over(source).open()) {
      DataSource wrapped = warm.dataSource();
      assertThat(warm.health().state()).isEqualTo(Health.State.WAITING);
      assertThat(warm.health().why()).contains("nobody is at home");
      assertThatThrownBy(wrapped::getConnection).hasMessage("nobody is at home");
      assertThatThrownBy(() -> asked(warm, 1)).hasMessage("nobody is at home");
      assertThatThrownBy(() -> warm.prospect(NAME)).hasMessage("nobody is at home");

      there.set(true);
      untilJoined(warm);
      try (Connection connection = wrapped.getConnection()) {
        Waiting.until(
            "it is asked about, aside, and answered from a shelf",
            () -> {
              asked(connection, 1);
              return warm.shelf("main").meters().snapshot().get(Count.HITS) > 0;
            });
      }
    }
  }

  @Test
  void aRoleThatMayNotYetFollowJoinsOnceItMay() throws Exception {
    install();
    try (Connection connection = database.dataSource().getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("DROP ROLE IF EXISTS late_reader");
      statement.execute("CREATE ROLE late_reader LOGIN PASSWORD 'made up'");
      statement.execute("GRANT SELECT ON ALL TABLES IN SCHEMA public TO late_reader");
    }
    PGSimpleDataSource source = database.postgres();
    source.setUser("late_reader");
    source.setPassword("made up");
    try (WarmShelf warm = over(source).open()) {
      assertThat(warm.health().why()).contains("may not follow").contains("GRANT");
      assertThat(asked(warm, 1).origin()).isEqualTo(Origin.DIRECT);
      ShelvedQuery<String> known = warm.query("SELECT name FROM port").as(String.class);
      assertThat(known.verdict().toString()).contains("NOT_FOLLOWED");
      Journal.on(database.dataSource()).readBy(List.of("late_reader")).install(SkerryLine.FOLLOWED);
      untilJoined(warm);
      Waiting.until("answers are kept", () -> asked(warm, 1).origin() == Origin.KEPT);
      assertThat(known.verdict().toString()).doesNotContain("NOT_FOLLOWED");
    }
  }

  @Test
  void whoClosesItBeforeItHasJoinedLeavesNothing() throws Exception {
    int before = database.sessions();
    WarmShelf warm = over(database.dataSource()).open();
    warm.close();
    assertThat(warm.health().state()).isEqualTo(Health.State.CLOSED);
    assertThat(asked(warm, 1).origin()).isEqualTo(Origin.DIRECT);
    install();
    Waiting.until("no connection is left", () -> database.sessions() == before);
    Waiting.until(
        "its thread has ended",
        () ->
            Thread.getAllStackTraces().keySet().stream()
                .noneMatch(thread -> thread.getName().equals("warm-shelf-join")));
    assertThat(warm.health().state()).isEqualTo(Health.State.CLOSED);
  }

  @Test
  void aFileOfAnswersStaysWhatItIsUntilItHasJoined(@TempDir Path directory) throws Exception {
    Path file = directory.resolve("answers");
    install();
    try (WarmShelf warm = over(database.dataSource()).warmStart(WarmStart.from(file)).open()) {
      asked(warm, 1);
    }
    byte[] written = Files.readAllBytes(file);
    Journal.on(database.dataSource()).remove();
    try (WarmShelf warm = over(database.dataSource()).warmStart(WarmStart.from(file)).open()) {
      assertThat(asked(warm, 1).origin()).isEqualTo(Origin.DIRECT);
    }
    assertThat(file).hasBinaryContent(written);
    database.run("UPDATE port SET name = 'Unseen' WHERE id = 1"); // while nobody notes it
    try (WarmShelf warm = over(database.dataSource()).warmStart(WarmStart.from(file)).open()) {
      install();
      untilJoined(warm);
      assertThat(asked(warm, 1).value()).containsExactly("Unseen");
    }
  }

  @Test
  void whoDoesNotWantToWaitIsToldAtOnce() throws Exception {
    assertThatThrownBy(
            () ->
                WarmShelf.over(database.dataSource())
                    .following(JournalFeed.on(database.dataSource()))
                    .open())
        .isInstanceOf(FeedException.class)
        .hasMessageContaining("not installed");
  }
}
