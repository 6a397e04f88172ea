package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Recipe;
import java.math.BigDecimal;
import java.time.Duration;
import java.time.Instant;
import java.time.OffsetDateTime;
import java.util.concurrent.atomic.AtomicReference;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

class RecipeTest {
  private static final String PORTS = "SELECT count(*) FROM port WHERE island = :island";

  private TestDatabase database;
  private WarmShelf warm;

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create();
    warm =
        database
            .shelf(5)
            .shelf("requests", policy -> policy, Recipe.plain().leavingOut("token"))
            .shelf("folding", policy -> policy, Recipe.plain().folding("island", Folds.trimmed()))
            .open();
  }

  @AfterEach
  void close() {
    warm.close();
  }

  @Test
  void aTokenThatIsLeftOutDoesNotSplitTheKey() throws Exception {
    ShelvedQuery<Long> ports = warm.query(PORTS).on("requests").as(Long.class);
    ports.with("island", "Norra").with("token", "a").only();
    assertThat(ports.with("token", "b").with("island", "Norra").only().origin())
        .isEqualTo(Origin.KEPT);
    assertThatThrownBy(() -> warm.query(PORTS).as(Long.class).with("token", "a"))
        .hasMessageContaining("no parameter 'token'");
  }

  @Test
  void aShelfFoldsWhatItsQueriesHave() throws Exception {
    ShelvedQuery<Long> ports = warm.query(PORTS).on("folding").as(Long.class);
    ports.with("island", "Norra").only();
    assertThat(ports.with("island", " Norra ").only().origin()).isEqualTo(Origin.KEPT);
    assertThat(warm.query("SELECT count(*) FROM port").on("folding").as(Long.class).only().origin())
        .isEqualTo(Origin.LOADED);
  }

  @Test
  void whatTheSqlDependsOnCannotBeLeftOut() {
    assertThatThrownBy(
            () ->
                warm.query("SELECT 1 FROM agent WHERE office = :token")
                    .on("requests")
                    .as(Long.class))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessageContaining("'token'")
        .hasMessageContaining("each other's answers");
  }

  @Test
  void anAddedValueSplitsTheKey() throws Exception {
    AtomicReference<String> tenant = new AtomicReference<>("a");
    ShelvedQuery<Long> ports =
        warm.query(PORTS).keyedBy(Recipe.plain().adding("tenant", tenant::get)).as(Long.class);
    ports.with("island", "Norra").only();
    assertThat(ports.with("island", "Norra").only().origin()).isEqualTo(Origin.KEPT);
    tenant.set("b");
    assertThat(ports.with("island", "Norra").only().origin()).isEqualTo(Origin.LOADED);
    assertThat(warm.query(PORTS).as(Long.class).with("island", "Norra").only().origin())
        .isEqualTo(Origin.LOADED);
  }

  @Test
  void theDatabaseGetsTheFoldedValueToo() throws Exception {
    ShelvedQuery<String> echo =
        warm.query("SELECT island FROM port WHERE lower(island) = :island ORDER BY id LIMIT 1")
            .keyedBy(
                Recipe.plain()
                    .folding("island", Folds.trimmed())
                    .folding(
                        "island", value -> Folds.lowerCase().apply(Folds.trimmed().apply(value))))
            .as(String.class);
    assertThat(echo.with("island", "  NORRA ").first().value()).hasValue("Norra");
    Reading<?> other = echo.with("island", "norra").first();
    assertThat(other.origin()).isEqualTo(Origin.KEPT);
    assertThatThrownBy(
            () -> warm.query(PORTS).keyedBy(Recipe.plain().folding("port", v -> v)).as(Long.class))
        .hasMessageContaining("folds 'port'");
  }

  @Test
  void foldsDoWhatTheySay() {
    assertThat(Folds.composed().apply("e\u0301")).isEqualTo("\u00e9");
    assertThat(Folds.withoutScale().apply(new BigDecimal("1.00"))).isEqualTo(new BigDecimal("1"));
    assertThat(Folds.downTo(Duration.ofMinutes(5)).apply(Instant.parse("2026-05-01T12:04:59Z")))
        .isEqualTo(Instant.parse("2026-05-01T12:00:00Z"));
    assertThat(
            Folds.downTo(Duration.ofHours(1))
                .apply(OffsetDateTime.parse("2026-05-01T12:30:00+02:00")))
        .isEqualTo(OffsetDateTime.parse("2026-05-01T10:00:00Z"));
    assertThat(Folds.trimmed().apply(7)).isEqualTo(7);
    assertThat(Folds.lowerCase().apply(null)).isNull();
  }

  @Test
  void declaredTablesStandInForWhatCannotBeFoundOut() throws Exception {
    database.run(
        "CREATE FUNCTION quota(int) RETURNS bigint STABLE LANGUAGE sql"
            + " AS 'SELECT count(*) FROM notice WHERE port_id = $1'");
    ShelvedQuery<Long> quota =
        warm.query("SELECT quota(:port)").reading("notice", "open_sailing").as(Long.class);
    assertThat(quota.verdict().toString()).contains("public.notice", "public.sailing");
    quota.with("port", 1).only();
    database.run("DELETE FROM notice WHERE port_id = 1");
    Waiting.untilDelivered(warm);
    assertThat(quota.with("port", 1).only().value()).isZero();
    assertThat(warm.query("SELECT random()").reading("notice").as(Double.class).only().origin())
        .isEqualTo(Origin.DIRECT);
    assertThat(warm.query("SELECT quota(1)").reading("nowhere").as(Long.class).only().bypass())
        .hasValueSatisfying(why -> assertThat(why).contains("nowhere"));
  }
}
