package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.cli.measure.Comparison;
import dev.warmshelf.cli.measure.Figures;
import dev.warmshelf.cli.measure.Result;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.postgres.PostgresCatalogue;
import dev.warmshelf.postgres.Session;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.Scale;
import dev.warmshelf.scenario.SkerryLine;
import java.sql.Connection;
import java.sql.Statement;
import java.time.Duration;
import java.util.Map;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;

class MeasureCommandTest {
  private static LocalPostgres server;

  @BeforeAll
  static void start() throws Exception {
    server = LocalPostgres.start();
    try (Connection connection = server.dataSource("postgres").getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("CREATE EXTENSION pg_stat_statements");
      SkerryLine.load(connection, Scale.TINY, (table, done, all) -> {});
    }
    Journal.on(server.dataSource("postgres")).install(SkerryLine.FOLLOWED);
  }

  @AfterAll
  static void stop() throws Exception {
    server.close();
  }

  @Test
  void directReadsAreNeverStaleAndKeptOnesOnlyLate() throws Exception {
    Result result = measure(new Comparison.Settings(10, 3, 50, Duration.ofSeconds(1), 7));
    assertThat(result.faults()).isEmpty();
    assertThat(result.commits()).isPositive();
    Figures direct = result.ways().get(0);
    assertThat(direct.stale()).isZero();
    assertThat(direct.countedDatabaseReads()).hasValue(direct.reads());
    for (Figures kept : result.ways().subList(1, 5)) {
      assertThat(kept.never()).isZero();
      assertThat(kept.hitRatio().orElseThrow()).isPositive();
      assertThat(kept.countedDatabaseReads()).hasValue(kept.ownDatabaseReads());
      assertThat(kept.ownDatabaseReads()).isLessThan(kept.reads());
    }
    assertThat(new ComparisonReport(result).lines("").get(0))
        .contains("direct", "TTL only", "table lanes", "value lanes", "answer lanes");
  }

  @Test
  void aFootprintThatIsWrongShowsAsReadsThatAreNeverPutOut() throws Exception {
    // A planted fault: the feed takes sailing for covered, but its trigger notes another table.
    try (Connection connection = server.dataSource("postgres").getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(
          """
          DO $$ DECLARE f text; BEGIN
            FOR f IN SELECT DISTINCT tgfoid::regprocedure::text FROM pg_trigger
                     WHERE tgname = 'warm_shelf_update' LOOP
              EXECUTE 'CREATE OR REPLACE FUNCTION ' || f || ' RETURNS trigger LANGUAGE plpgsql
                SECURITY DEFINER AS $f$ BEGIN
                  INSERT INTO warm_shelf.journal (lane, kind) VALUES (''elsewhere'', TG_OP);
                  RETURN NULL; END $f$';
            END LOOP; END $$""");
    }
    try {
      Result result = measure(new Comparison.Settings(10, 3, 200, Duration.ofSeconds(1), 7));
      assertThat(result.ways().get(0).stale()).isZero();
      assertThat(result.ways().get(4).never()).isPositive();
      assertThat(result.faults()).anySatisfy(f -> assertThat(f).contains("a footprint is wrong"));
    } finally {
      Journal.on(server.dataSource("postgres")).install(SkerryLine.FOLLOWED);
    }
  }

  private static Result measure(Comparison.Settings settings) throws Exception {
    HikariConfig config = new HikariConfig();
    config.setDataSource(server.dataSource("postgres"));
    try (HikariDataSource pool = DatabaseOptions.pool(config, settings.readers() + 8)) {
      return Comparison.on(pool, settings, (way, done, all) -> {}).run();
    }
  }

  @Test
  void keysAreExplainedByTheDatabasesOwnCatalogue() throws Exception {
    HikariConfig config = new HikariConfig();
    config.setDataSource(server.dataSource("postgres"));
    try (HikariDataSource pool = DatabaseOptions.pool(config, 1)) {
      KeyExplanation explanation =
          KeyExplanation.of(
              "SELECT count(*) FROM open_sailing, booking_2026_05",
              Map.of(),
              new KeyExplanation.Schema(
                  new PostgresCatalogue(pool), Session.of(pool).ambient(), ""));
      assertThat(explanation.lines())
          .anySatisfy(line -> assertThat(line).startsWith("session").contains("postgres"))
          .contains("footprint     public.booking", "              public.sailing");
    }
  }

  @Test
  void settingsThatAreMissingOrWrongAreNamed() throws Exception {
    assertThat(failureOf("jdbc:mysql://x", Map.of())).contains("not a PostgreSQL URL");
    assertThat(failureOf("jdbc:postgresql://localhost/x?user=a&password=b", Map.of()))
        .contains("SHELF_DB_PASSWORD");
    assertThat(failureOf("jdbc:postgresql://localhost/x", Map.of())).contains("SHELF_DB_USER");
    assertThat(failureOf("jdbc:postgresql://localhost/x", Map.of("SHELF_DB_USER", "a")))
        .contains("SHELF_DB_PASSWORD");
  }

  private static String failureOf(String url, Map<String, String> environment) {
    try (HikariDataSource pool = DatabaseOptions.pool(url, 1, environment)) {
      return "no failure: " + pool;
    } catch (Failure e) {
      return e.getMessage();
    }
  }
}
