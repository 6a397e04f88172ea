package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.shelf.Origin;
import dev.warmshelf.spi.feed.Clearing;
import dev.warmshelf.spi.feed.Clearing.What;
import dev.warmshelf.statement.SqlStatement;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

/** Two processes that follow one journal, and what somebody clears in one of them or both. */
class ClearingTest {
  private static final String PORTS = "SELECT name FROM port WHERE id = :id";
  private static final String AGENTS = "SELECT office FROM agent WHERE id = :id";

  private final List<WarmShelf> processes = new ArrayList<>();
  private TestDatabase database;

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create();
    for (int i = 0; i < 2; i++) {
      processes.add(database.shelf(5).shelf("other", policy -> policy).open());
    }
  }

  @AfterEach
  void close() {
    processes.forEach(WarmShelf::close);
  }

  /** Where each process has its answers from: of the ports, and of the agents. */
  private List<String> origins() throws SQLException {
    List<String> all = new ArrayList<>();
    for (WarmShelf warm : processes) {
      all.add(letter(question(warm, PORTS, "main")) + letter(question(warm, AGENTS, "other")));
    }
    return all;
  }

  private static Question<String> question(WarmShelf warm, String sql, String shelf) {
    ShelvedQuery<String> query = warm.query(sql).on(shelf).tagged("boards").as(String.class);
    return query.question().with("id", 1);
  }

  private static String letter(Question<String> question) throws SQLException {
    return question.list().origin() == Origin.KEPT ? "k" : "l";
  }

  private static Clearing clearing(What what, String name) {
    return new Clearing(what, name, "a test");
  }

  @Test
  void whatIsClearedEverywhereIsGoneEverywhere() throws Exception {
    String form = SqlStatement.of(PORTS).formDigest();
    origins();
    assertThat(origins()).containsExactly("kk", "kk");
    for (Clearing each :
        List.of(
            clearing(What.QUERY, form),
            clearing(What.TABLE, "port"),
            clearing(What.TABLE, "public.port"),
            clearing(What.SHELF, "main"),
            clearing(What.KEY, question(processes.get(0), PORTS, "main").key().digest()))) {
      processes.get(0).clearEverywhere(each);
      untilBothHaveLooked();
      assertThat(origins()).as(each.toString()).containsExactly("lk", "lk");
      assertThat(origins()).containsExactly("kk", "kk");
    }
    for (Clearing each : List.of(clearing(What.ALL, ""), clearing(What.TAG, "boards"))) {
      processes.get(1).clearEverywhere(each);
      untilBothHaveLooked();
      assertThat(origins()).as(each.toString()).containsExactly("ll", "ll");
      assertThat(origins()).containsExactly("kk", "kk");
    }
  }

  private void untilBothHaveLooked() throws Exception {
    java.time.Instant now = java.time.Instant.now();
    for (WarmShelf warm : processes) {
      Waiting.until("it has looked", () -> warm.freshAsOf().orElseThrow().isAfter(now));
    }
  }

  @Test
  void whatIsClearedHereIsGoneHere() throws Exception {
    origins();
    WarmShelf here = processes.get(0);
    assertThat(here.clear(clearing(What.TABLE, "port"))).isEqualTo(1);
    assertThat(origins()).containsExactly("lk", "kk");
    assertThat(here.clear(clearing(What.QUERY, SqlStatement.of(AGENTS).formDigest()))).isEqualTo(1);
    assertThat(origins()).containsExactly("kl", "kk");
    assertThat(here.clear(clearing(What.ALL, ""))).isEqualTo(2);
    assertThat(here.clear(clearing(What.TABLE, "island"))).isZero();
    assertThat(here.clear(clearing(What.SHELF, "no such"))).isZero();
  }

  @Test
  void whoMayNotTellTheJournalIsToldSo() throws Exception {
    assertThatThrownBy(() -> processes.get(0).clearEverywhere(clearing(What.SHELF, "no such")))
        .hasMessageContaining("There is no shelf 'no such'");
    try (WarmShelf alone = WarmShelf.over(database.dataSource()).onTtlAlone().open()) {
      assertThatThrownBy(() -> alone.clearEverywhere(clearing(What.ALL, "")))
          .isInstanceOf(IllegalStateException.class)
          .hasMessageContaining("Without a feed");
    }
    database.run("CREATE ROLE clearing_nobody");
    try (Connection connection = database.dataSource().getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("GRANT USAGE ON SCHEMA warm_shelf TO clearing_nobody");
      statement.execute("SET ROLE clearing_nobody");
      assertThatThrownBy(() -> statement.execute("SELECT warm_shelf.clear('all', '')"))
          .hasMessageContaining("permission denied");
      statement.execute("RESET ROLE");
      statement.execute("GRANT EXECUTE ON FUNCTION warm_shelf.clear TO clearing_nobody");
      statement.execute("SET ROLE clearing_nobody");
      statement.execute("SELECT warm_shelf.clear('tag', 'x')");
      statement.execute("RESET ROLE");
      assertThatThrownBy(() -> statement.execute("SELECT warm_shelf.clear('roof', '')"))
          .hasMessageContaining("'roof' cannot be cleared");
      statement.execute("DROP OWNED BY clearing_nobody");
      statement.execute("DROP ROLE clearing_nobody");
    }
  }

  @Tag("thorough")
  @Test
  void healthSaysWhatReadsGet() throws Exception {
    WarmShelf warm = processes.get(0);
    Health live = warm.health();
    assertThat(live.state()).isEqualTo(Health.State.LIVE);
    assertThat(live.isWell()).isTrue();
    assertThat(live.lag()).isPresent();
    assertThat(live.shelves()).containsEntry("main", "kept answers").containsKey("other");
    database.run("ALTER TABLE warm_shelf.installation RENAME TO hidden");
    Waiting.until("it is lost", () -> warm.health().state() == Health.State.LOST);
    Health lost = warm.health();
    assertThat(lost.isWell()).isFalse();
    assertThat(lost.lostSince()).isPresent();
    assertThat(lost.why()).contains("installation");
    Waiting.until(
        "its shelves ask the database",
        () -> warm.health().shelves().get("main").startsWith("the database's answers"));
    database.run("ALTER TABLE warm_shelf.hidden RENAME TO installation");
    Waiting.until("it is live again", () -> warm.health().isWell());
    warm.close();
    assertThat(warm.health().state()).isEqualTo(Health.State.CLOSED);
    try (WarmShelf alone = WarmShelf.over(database.dataSource()).onTtlAlone().open()) {
      assertThat(alone.health().state()).isEqualTo(Health.State.ON_TTL_ALONE);
      assertThat(alone.health().isWell()).isTrue();
    }
  }
}
