package dev.warmshelf.testing;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.Question;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.meter.Finding;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.shelf.Audit;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Renewal;
import dev.warmshelf.shelf.Rule;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.Instant;
import java.util.function.UnaryOperator;
import javax.sql.DataSource;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;

class ShelfKitTest {
  private static final String NAME = "SELECT name FROM port WHERE id = :id AND island <> :not";
  private static final Instant MORNING = Instant.parse("2026-05-04T06:00:00Z");

  private static LocalPostgres server;

  @RegisterExtension
  static final ShelfExtension SHELVES =
      ShelfExtension.opening(
          () -> kit().adjusted(builder -> builder.keeping(Rule.ofTablesAmong("port"))).open());

  record Port(String name) {}

  @BeforeAll
  static void startServer() throws Exception {
    server = LocalPostgres.start();
    SkerryLine.loadTiny(source());
  }

  @AfterAll
  static void stopServer() throws Exception {
    server.close();
  }

  private static DataSource source() {
    return server.dataSource("postgres");
  }

  private static ShelfKit.Plan kit() {
    return ShelfKit.over(source()).installing("port:id").beginningAt(MORNING);
  }

  private static ShelfKit withMain(UnaryOperator<Policy> policy) throws Exception {
    return kit().adjusted(builder -> builder.shelf(WarmShelf.MAIN_SHELF, policy)).open();
  }

  private static ShelvedQuery<Port> names(ShelfKit kit) {
    return kit.warm().query(NAME).as(Port.class);
  }

  private static String name(ShelfKit kit, int id) throws SQLException {
    return names(kit).with("id", id).with("not", "").only().value().name();
  }

  /** As another program. */
  private static void rename(int id, String name) throws SQLException {
    try (Connection connection = source().getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("UPDATE port SET name = '" + name + "' WHERE id = " + id);
    }
  }

  @Test
  void sentencesSayWhatWasAskedAndKept(ShelfKit kit) throws Exception {
    for (int id : new int[] {1, 2, 1, 1}) {
      name(kit, id);
    }
    names(kit).with("id", 1).with("not", "Norra").list();
    kit.answersTo(NAME).wereAsked(5).wereLoaded(3).wereHit(2).areKept(3).areKept();
    kit.answersTo(names(kit)).with("id", 1).wereLoaded(2).wereHit(2).with("not", "").wereLoaded(1);
    kit.answersTo(names(kit).with("id", 2L).with("not", "")).wereAsked(1).areKept(1);
    kit.answersTo("select name from port where id = :x and island <> :y").wereAsked(5);
    kit.answers().having("Norra").onShelf(WarmShelf.MAIN_SHELF).wereGiven(Origin.LOADED, 1);
    kit.answers().with("id", 3).wereAsked(0).areNotKept();
    kit.statements().containing("FROM port WHERE id").wereSent(3);
    kit.forget();
    kit.answers().wereAsked(0);
    kit.statements().wereNotSent();
  }

  /** What costs nothing is loaded; what takes its time is mended, as in production. */
  @Test
  void statementsTakeTimeIfTheTestSaysSo() throws Exception {
    String ports = "SELECT id, name FROM port WHERE island = :island ORDER BY id";
    for (Duration each : new Duration[] {Duration.ZERO, Duration.ofMillis(100)}) {
      try (ShelfKit kit = kit().statementsTaking(each).open()) {
        Question<?> question = kit.warm().query(ports).asLists().with("island", "Norra");
        question.list();
        assertThat(question.list().loadNanos()).isBetween(each.toNanos(), each.toNanos() + 10_000);
        rename(1, "Sund " + each);
        kit.feedLooks();
        Reading<?> after = question.list();
        assertThat(after.origin()).isEqualTo(each.isZero() ? Origin.LOADED : Origin.MENDED);
        assertThat(after.value().toString()).contains("Sund " + each);
      }
    }
    assertThatThrownBy(() -> kit().statementsTaking(Duration.ofMillis(-1)))
        .isInstanceOf(IllegalArgumentException.class);
  }

  @Test
  void whatOthersChangeIsToldWhenTheFeedLooks(ShelfKit kit) throws Exception {
    String before = name(kit, 1);
    name(kit, 2);
    rename(1, "Sund");
    assertThat(name(kit, 1)).isEqualTo(before);
    kit.answersTo(NAME).areKept(2).wereInvalidated(0);
    kit.feedLooks();
    kit.answersTo(NAME).with("id", 1).wereInvalidated().areNotKept();
    kit.answersTo(NAME).wereInvalidated(1).areKept(1);
    assertThat(name(kit, 1)).isEqualTo("Sund");
    rename(1, before);
  }

  @Test
  void whatTheProgramWritesItSees(ShelfKit kit) throws Exception {
    String before = name(kit, 1);
    kit.warm().write("UPDATE port SET name = :name WHERE id = 1").with("name", "Vik").run();
    assertThat(name(kit, 1)).isEqualTo("Vik");
    kit.answersTo(NAME).wereLoaded(2);
    rename(1, before);
  }

  @Test
  void aLifeEndsWhenTimeHasPassed() throws Exception {
    try (ShelfKit kit = withMain(policy -> policy.ttl(Duration.ofMinutes(5)))) {
      name(kit, 1);
      kit.pass(Duration.ofMinutes(4));
      kit.answers().areKept();
      name(kit, 1);
      kit.pass(Duration.ofMinutes(2));
      assertThat(kit.now()).isAfterOrEqualTo(MORNING.plus(Duration.ofMinutes(6)));
      kit.answers().areNotKept();
      name(kit, 1);
      kit.answers().wereHit(1).wereLoaded(2);
    }
  }

  @Test
  void aFeedThatIsHeldBackIsLostAfterTheTolerance() throws Exception {
    try (ShelfKit kit = withMain(policy -> policy.tolerating(Duration.ofSeconds(10)))) {
      name(kit, 1);
      kit.holdFeed();
      kit.pass(Duration.ofSeconds(9));
      name(kit, 1);
      kit.answers().wereHit(1).areKept();
      kit.pass(Duration.ofSeconds(2));
      kit.answers().areNotKept();
      name(kit, 1);
      kit.answers().wereReadDirectly(1);
      kit.letFeedGoOn();
      name(kit, 1);
      kit.answers().wereHit(2).areKept();
    }
  }

  @Test
  void renewalsAreDoneWhenTheTestSaysSo() throws Exception {
    try (ShelfKit kit =
        withMain(
            policy ->
                policy
                    .renewing(Renewal.lookingAgain().ahead(1))
                    .serving(OldAnswers.whileLoading(Duration.ofMinutes(1))))) {
      name(kit, 1);
      name(kit, 1);
      rename(1, "Holm");
      kit.feedLooks();
      kit.answers().wereInvalidated();
      kit.pass(Duration.ofSeconds(1));
      kit.answers().areKept();
      assertThat(name(kit, 1)).isEqualTo("Holm");
      kit.answers().wereLoaded(1).wereGiven(Origin.KEPT, 2);
    }
  }

  @Test
  void auditsAreDoneWhenItHasSettled() throws Exception {
    try (ShelfKit kit = withMain(policy -> policy.auditing(Audit.oneIn(1)))) {
      name(kit, 1);
      name(kit, 1);
      kit.settle();
      assertThat(kit.warm().shelf(WarmShelf.MAIN_SHELF).meters().snapshot().get(Finding.AGREED))
          .isEqualTo(1);
    }
  }

  @Test
  void programsThatKnowJdbcAloneAreTestedToo(ShelfKit kit) throws Exception {
    byJdbc(kit);
    kit.settle();
    byJdbc(kit);
    byJdbc(kit);
    kit.answersTo("SELECT island FROM port WHERE id = ?").having(1).areKept(1);
    assertThat(kit.history()).contains("kept").contains("SELECT island FROM port WHERE id = ?");
  }

  private static void byJdbc(ShelfKit kit) throws SQLException {
    try (Connection connection = kit.dataSource().getConnection();
        PreparedStatement statement =
            connection.prepareStatement("SELECT island FROM port WHERE id = ?")) {
      statement.setInt(1, 1);
      try (ResultSet rows = statement.executeQuery()) {
        assertThat(rows.next()).isTrue();
      }
    }
  }

  @Test
  void resultsOfComputationsHaveTheirNames(ShelfKit kit) throws Exception {
    for (int i = 0; i < 2; i++) {
      kit.warm()
          .<Integer>computation("letters")
          .get(() -> name(kit, 1).length() + name(kit, 2).length(), "all", 7);
    }
    kit.resultsOf("letters").wereLoaded(1).wereHit(1).areKept();
    kit.resultsOf("letters").having("all").having(7).wereAsked(2);
    kit.resultsOf("letters").having(8).wereAsked(0);
    kit.resultsOf("others").wereAsked(0);
    rename(2, "Lund");
    kit.feedLooks();
    kit.resultsOf("letters").wereInvalidated();
  }

  @Test
  void aSentenceThatIsNotTrueSaysWhatIs(ShelfKit kit) throws Exception {
    name(kit, 1);
    name(kit, 1);
    assertThatThrownBy(() -> kit.answersTo(NAME).with("id", 1).wereLoaded(2))
        .isInstanceOf(AssertionError.class)
        .hasMessage(
            "Expected answers to "
                + NAME
                + ", id=1 to be loaded twice, but they were loaded once.\n"
                + "Asked:\n"
                + "  loaded   "
                + NAME
                + " [id=1, not=]\n"
                + "  kept     "
                + NAME
                + " [id=1, not=]");
    assertThatThrownBy(() -> kit.answersTo(NAME).with("id", 4).areKept())
        .hasMessageContaining("None of these was asked for. Asked:\n  loaded ");
    assertThatThrownBy(() -> kit.answers().wereInvalidated()).hasMessageContaining(": kept");
    assertThatThrownBy(() -> kit.answers().areNotKept()).hasMessageContaining(": kept");
    kit.warm().clearAll();
    assertThatThrownBy(() -> kit.answers().areKept())
        .hasMessageContaining("everything was invalidated");
    assertThatThrownBy(() -> kit.statements().containing("FROM port WHERE").wereNotSent())
        .hasMessageContaining(
            "with 'FROM port WHERE' in it to not be sent, but they were sent once.")
        .hasMessageContaining("SELECT name FROM port");
    kit.holdFeed();
    assertThatThrownBy(kit::feedLooks).hasMessageContaining("held back");
  }
}
