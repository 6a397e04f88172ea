package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.key.KeyShape;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.ReadScope;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.Balance;
import dev.warmshelf.trial.MovableTime;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** Statements of which nothing is kept since that cost more than it gave. */
class StandingDownTest {
  private static final String READ = "SELECT id FROM crate WHERE owner = ? ORDER BY id";

  private final MovableTime time = new MovableTime();
  private TestDatabase database;
  private WarmShelf warm;

  @BeforeEach
  void open() throws Exception {
    database =
        TestDatabase.create(
            """
            CREATE TABLE crate (id int PRIMARY KEY, owner int);
            INSERT INTO crate SELECT i, i % 10 FROM generate_series(1, 100) i;
            """,
            List.of("crate:owner"));
    warm =
        database
            .shelf(600_000)
            .clock(time)
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy.tolerating(Duration.ofHours(9)))
            .keeping(Rule.ofTablesAmong("crate"))
            .open();
  }

  @AfterEach
  void close() {
    warm.close();
  }

  private AnswerShelf main() {
    return AnswerShelf.of(warm.shelf(WarmShelf.MAIN_SHELF));
  }

  private long direct() {
    return main().meters().snapshot().get(BypassReason.STANDS_DOWN);
  }

  /** As if its reads had taken twice what their loads did, for some time. */
  private void standsDown(KeyShape form) {
    Balance balance = main().balance(form);
    for (int i = 0; i < 10_000 && !balance.isDown(); i++) {
      time.pass(Duration.ofMillis(2));
      balance.wasRead(2_000_000, 1_000_000, true);
    }
    assertThat(balance.isDown()).isTrue();
    assertThat(warm.awaitBackground(Duration.ofSeconds(10))).isTrue();
    assertThat(main().size()).as("what is kept").isZero();
  }

  private KeyShape onlyForm() {
    Set<KeyShape> forms = main().held().keySet();
    assertThat(forms).hasSize(1);
    return forms.iterator().next();
  }

  private static List<Integer> cratesOf(Connection connection, int owner) throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(READ)) {
      statement.setInt(1, owner);
      try (ResultSet rows = statement.executeQuery()) {
        List<Integer> ids = new ArrayList<>();
        while (rows.next()) {
          ids.add(rows.getInt(1));
        }
        return ids;
      }
    }
  }

  @Test
  void aQueryThatStandsDownIsAnsweredByTheDatabase() throws Exception {
    ShelvedQuery<Integer> query = warm.query(READ).as(Integer.class);
    Question<Integer> question = query.with("1", 3);
    assertThat(question.list().value()).hasSize(10);
    standsDown(onlyForm());
    Reading<List<Integer>> reading = question.list();
    assertThat(reading.origin()).isEqualTo(Origin.DIRECT);
    assertThat(reading.value()).hasSize(10);
    assertThat(reading.bypass()).hasValue(BypassReason.STANDS_DOWN.label());
    assertThat(direct()).isEqualTo(1);
    warm.write("UPDATE crate SET owner = 3 WHERE id = 1").run();
    assertThat(question.list().value()).hasSize(11);
    assertThat(warm.feedMeters().orElseThrow().commits().tookNanos()).isZero();
    Shelf.StoodDown stoodDown = main().stoodDown().get(0);
    assertThat(stoodDown.statement()).contains("select id from crate");
    assertThat(warm.health().shelves()).containsValue("kept answers; 1 form stands down");
    assertThat(warm.health().isWell()).isTrue();
  }

  @Test
  void aStatementOfJdbcsIsItsProgramsOwnThen() throws Exception {
    try (Connection connection = warm.dataSource().getConnection()) {
      Waiting.until("something is kept", () -> !cratesOf(connection, 3).isEmpty() && size() > 0);
      standsDown(onlyForm());
      assertThat(cratesOf(connection, 3)).hasSize(10);
      assertThat(direct()).isEqualTo(1);
      connection.setAutoCommit(false);
      try (PreparedStatement move =
          connection.prepareStatement("UPDATE crate SET owner = 3 WHERE id = 1")) {
        move.executeUpdate();
      }
      assertThat(cratesOf(connection, 3)).as("what the transaction wrote").hasSize(11);
      connection.rollback();
      assertThat(cratesOf(connection, 3)).hasSize(10);
      assertThat(size()).isZero();
    }
  }

  private int size() {
    return main().size();
  }

  /** Who needs what a shelf alone can tell is given it. */
  @Test
  void scopesAndComputationsReadKeptAnswersAllTheSame() throws Exception {
    ShelvedQuery<Integer> query = warm.query(READ).as(Integer.class);
    query.with("1", 3).list();
    standsDown(onlyForm());
    try (ReadScope scope = warm.readScope()) {
      assertThat(query.with("1", 3).list().origin()).isEqualTo(Origin.LOADED);
    }
    Computation<Integer> count = warm.computation("crates");
    assertThat(count.get(() -> query.with("1", 4).list().value().size()).value()).isEqualTo(10);
    assertThat(count.get(() -> -1).origin()).isEqualTo(Origin.KEPT);
  }

  /** Each lookup would ask the database for all of it. */
  @Test
  void referenceDataOfAFormThatStandsDownIsKeptAgain() throws Exception {
    ShelvedQuery<Integer> query = warm.query("SELECT id FROM crate ORDER BY id").as(Integer.class);
    query.list();
    standsDown(onlyForm());
    ReferenceData<Integer> crates = query.asReferenceData();
    ReferenceData.Unique<Integer, Integer> byId = crates.uniquelyBy(id -> id);
    assertThat(main().stoodDown()).isEmpty();
    assertThat(byId.find(7)).hasValue(7);
    assertThat(byId.find(8)).hasValue(8);
    assertThat(crates.reading().origin()).isEqualTo(Origin.KEPT);
  }
}
