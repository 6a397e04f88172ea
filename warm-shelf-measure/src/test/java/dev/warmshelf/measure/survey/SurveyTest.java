package dev.warmshelf.measure.survey;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.within;

import dev.warmshelf.lane.Lane;
import dev.warmshelf.measure.database.DatabaseFacts;
import dev.warmshelf.measure.database.DatabaseWork;
import dev.warmshelf.measure.survey.SurveyedStatement.Advice;
import dev.warmshelf.measure.survey.SurveyedStatement.Keepable;
import dev.warmshelf.measure.survey.SurveyedStatement.Refused;
import dev.warmshelf.measure.workload.WorkloadFile;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.statement.SqlStatement;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.LocalDate;
import java.util.List;
import java.util.Map;
import javax.sql.DataSource;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.postgresql.ds.PGSimpleDataSource;

/** What a survey says of statements that were executed just so often. */
class SurveyTest {
  private static final String BOOKED =
      "SELECT count(*) FROM booking WHERE sailing_id = ? AND status = 'HELD'";

  private static final String OF_DAY = "SELECT id, status FROM sailing WHERE day = ? ORDER BY id";
  private static final String PORTS = "SELECT id, name FROM port ORDER BY id";

  private static final Duration KEPT = Duration.ofMinutes(10);

  private static LocalPostgres server;

  @BeforeAll
  static void start() throws Exception {
    server = LocalPostgres.start();
    SkerryLine.loadTiny(database());
    run("CREATE EXTENSION pg_stat_statements");
  }

  @AfterAll
  static void stop() throws Exception {
    server.close();
  }

  private static DataSource database() {
    return server.dataSource("postgres");
  }

  private static void run(String... statements) throws SQLException {
    try (Connection connection = database().getConnection();
        Statement statement = connection.createStatement()) {
      for (String each : statements) {
        statement.execute(each);
      }
      statement.execute("SELECT pg_stat_force_next_flush()");
      statement.execute("SELECT 1");
    }
  }

  private static void ask(String sql, int times, Object value) throws SQLException {
    try (Connection connection = database().getConnection();
        PreparedStatement asked = connection.prepareStatement(sql)) {
      for (int i = 0; i < times; i++) {
        if (sql.contains("?")) {
          asked.setObject(1, value);
        }
        try (ResultSet rows = asked.executeQuery()) {
          assertThat(rows.isClosed()).isFalse();
        }
      }
    }
  }

  private static SurveyedStatement found(Surveyed surveyed, String sql) {
    return surveyed.statements().stream()
        .filter(each -> each.is(sql))
        .findFirst()
        .orElseThrow(() -> new AssertionError(sql + " is not among " + surveyed.statements()));
  }

  private static Dependence on(SurveyedStatement statement, String table) {
    return ((Keepable) statement.judged())
        .dependsOn().stream()
            .filter(each -> each.table().equals(Lane.ofTable("public", table)))
            .findFirst()
            .orElseThrow();
  }

  @Test
  void whatWasDoneMeanwhileIsCountedAndJudged() throws Exception {
    ask(PORTS, 7, "");
    Survey survey = Survey.begin(database(), KEPT);
    ask(PORTS, 12, "");
    ask(BOOKED, 30, 3);
    ask(BOOKED.replace("HELD", "CANCELLED"), 10, 4);
    ask(OF_DAY, 20, LocalDate.of(2026, 5, 1));
    ask("SELECT random(), name FROM port", 5, "");
    run(
        "UPDATE booking SET status = 'HELD' WHERE sailing_id = 3 AND id % 2 = 0",
        "UPDATE booking SET cents = cents + 1 WHERE sailing_id = 3",
        "UPDATE sailing SET leaves_at = leaves_at + interval '1 minute' WHERE id = 3");
    Surveyed surveyed = survey.end((done, all) -> {});
    double seconds = surveyed.lasted().toNanos() / 1e9;

    SurveyedStatement ports = found(surveyed, PORTS);
    assertThat(ports.work().calls()).as("since the survey began").isEqualTo(12);
    assertThat(ports.questionsInWords()).isEqualTo("one question");
    assertThat(ports.form()).isPresent();
    Gain one = ((Keepable) ports.judged()).byRows();
    assertThat(one.worst()).isEqualTo(one.best());

    SurveyedStatement booked = found(surveyed, BOOKED);
    assertThat(booked.work().calls()).as("whatever stands in the text").isEqualTo(40);
    assertThat(booked.questions()).as("an ambiguous '$2' may be anything of two").isPresent();
    Dependence bookings = on(booked, "booking");
    assertThat(bookings.columns()).containsExactlyInAnyOrder("sailing_id", "status");
    assertThat(bookings.reach()).isEqualTo("rows of one sailing_id");
    assertThat(bookings.changesPerSecond()).isEqualTo(2 / seconds, within(1e-9));
    assertThat(bookings.reachingPerSecond()).as("of what it reads").isLessThan(1 / seconds);

    Dependence sailings = on(found(surveyed, OF_DAY), "sailing");
    assertThat(sailings.changesPerSecond()).isEqualTo(1 / seconds, within(1e-9));
    assertThat(sailings.reachingPerSecond()).as("of columns that it does not read").isZero();

    SurveyedStatement random = found(surveyed, "SELECT random(), name FROM port");
    assertThat(random.advice()).isEqualTo(Advice.REFUSED);
    assertThat(((Refused) random.judged()).reason()).contains("random");
    assertThat(surveyed.statements())
        .noneMatch(each -> each.text().startsWith("UPDATE"))
        .noneMatch(each -> each.text().contains("pg_stat_statements"));
    assertThat(surveyed.statements().stream().mapToDouble(SurveyedStatement::share).sum())
        .isBetween(0.0, 1.0);
    assertThat(surveyed.limits()).isEmpty();
  }

  @Test
  void anIndexIsSeenWithoutExecutingAnything() throws Exception {
    String sql = "SELECT count(*) FROM big WHERE kind = ?";
    run(
        "CREATE TABLE big AS SELECT i AS id, i % 5000 AS kind, 'x' AS text"
            + " FROM generate_series(1, 20000) i",
        "ANALYZE big");
    Survey survey = Survey.begin(database(), KEPT);
    ask(sql, 10, 7);
    SurveyedStatement asked = found(survey.end((done, all) -> {}), sql);
    assertThat(asked.index()).hasValue("big (kind)");
    assertThat(asked.advice()).isEqualTo(Advice.INDEX_FIRST);
    assertThat(asked.work().calls()).isEqualTo(10);
    run("CREATE INDEX ON big (kind)");
    Survey after = Survey.begin(database(), KEPT);
    ask(sql, 10, 7);
    assertThat(found(after.end((done, all) -> {}), sql).index()).isEmpty();
  }

  /** Somebody has made operators that fit the catalogue's columns better than the system's do. */
  @Test
  void nobodysOperatorsRunAsWhoeverSurveysOrMeasures() throws Exception {
    StringBuilder made = new StringBuilder("CREATE TABLE caught (what text);");
    List<String> types = List.of("oid", "regclass", "name", "text", "\"char\"", "int4", "int8");
    for (String left : types) {
      for (String right : types) {
        made.append(
            """
            CREATE FUNCTION public.evil(%1$s, %2$s) RETURNS boolean LANGUAGE plpgsql AS
              $evil$ BEGIN INSERT INTO public.caught VALUES ('%1$s = %2$s'); RETURN true; END $evil$;
            CREATE OPERATOR public.= (LEFTARG = %1$s, RIGHTARG = %2$s, FUNCTION = public.evil);
            """
                .formatted(left, right));
      }
    }
    run(made.toString());
    try {
      Survey survey = Survey.begin(database(), KEPT);
      ask(OF_DAY, 20, LocalDate.of(2026, 5, 1));
      assertThat(found(survey.end((done, all) -> {}), OF_DAY).questions()).isPresent();
      SqlStatement measured = SqlStatement.of("SELECT id FROM port WHERE id = :id");
      DatabaseWork work =
          DatabaseWork.of(database(), List.of(new DatabaseWork.Sample(measured, Map.of("id", 1))))
              .orElseThrow();
      assertThat(work.done().calls()).isNotNegative();
      assertThat(
              DatabaseFacts.of(database(), Map.of("ports", "SELECT count(*) FROM port")).toString())
          .isNotBlank();
      try (Connection connection = database().getConnection();
          Statement statement = connection.createStatement();
          ResultSet row =
              statement.executeQuery("SELECT coalesce(string_agg(what, ','), '') FROM caught")) {
        row.next();
        // The driver asks the catalogue itself what an array's elements are.
        assertThat(row.getString(1).replaceAll("(oid = int4|,)", "")).isEmpty();
      }
    } finally {
      run(
          "DO $$ DECLARE f regprocedure; BEGIN FOR f IN SELECT oid::regprocedure FROM pg_proc"
              + " WHERE proname LIKE 'evil' LOOP EXECUTE 'DROP FUNCTION ' || f || ' CASCADE';"
              + " END LOOP; END $$",
          "DROP TABLE caught");
    }
  }

  @Test
  void aRoleWithFewRightsIsToldWhatItCannotSee() throws Exception {
    run("CREATE ROLE looks " + LocalPostgres.login(), "GRANT pg_read_all_stats TO looks");
    PGSimpleDataSource theirs = (PGSimpleDataSource) database();
    theirs.setUser("looks");
    Survey blind = Survey.begin(theirs, KEPT);
    ask(OF_DAY, 50, LocalDate.of(2026, 5, 2));
    Surveyed surveyed = blind.end((done, all) -> {});
    assertThat(found(surveyed, OF_DAY).questions()).as("nobody may tell").isEmpty();
    assertThat(String.join(" ", surveyed.limits())).contains("permission denied");

    run("GRANT SELECT ON ALL TABLES IN SCHEMA public TO looks");
    Survey seeing = Survey.begin(theirs, KEPT);
    ask(OF_DAY, 50, LocalDate.of(2026, 5, 2));
    Surveyed more = seeing.end((done, all) -> {});
    assertThat(found(more, OF_DAY).questions()).isPresent();
    assertThat(more.limits()).isEmpty();

    run("REVOKE pg_read_all_stats FROM looks");
    Survey alone = Survey.begin(theirs, KEPT);
    ask(OF_DAY, 50, LocalDate.of(2026, 5, 2));
    assertThat(String.join(" ", alone.end((done, all) -> {}).limits()))
        .contains("GRANT pg_read_all_stats");
  }

  @Test
  void whatIsNotCountedIsSaidWithWhatToDo() throws Exception {
    run("CREATE DATABASE bare");
    assertThatThrownBy(() -> Survey.begin(server.dataSource("bare"), KEPT))
        .isInstanceOf(SurveyException.class)
        .hasMessageContaining("CREATE EXTENSION pg_stat_statements");
    Survey survey = Survey.begin(database(), KEPT);
    run("SELECT pg_stat_statements_reset()");
    assertThatThrownBy(() -> survey.end((done, all) -> {}))
        .isInstanceOf(SurveyException.class)
        .hasMessageContaining("reset meanwhile");
  }

  /** All that the demo's pages ask is found again under what the server counts it as. */
  @Test
  void theDemosStatementsAreFound() throws Exception {
    List<String> all =
        WorkloadFile.read(SkerryLine.workload()).queries().stream()
            .map(each -> each.sql().text())
            .toList();
    Survey survey = Survey.begin(database(), KEPT);
    try (Connection connection = database().getConnection()) {
      for (String sql : all) {
        String driver = SqlStatement.of(sql).driverText();
        try (PreparedStatement asked = connection.prepareStatement(driver)) {
          for (int i = 1; i <= asked.getParameterMetaData().getParameterCount(); i++) {
            asked.setNull(i, asked.getParameterMetaData().getParameterType(i));
          }
          asked.execute();
        }
      }
    }
    Surveyed surveyed = survey.end((done, all2) -> {});
    for (String sql : all) {
      SurveyedStatement found = found(surveyed, sql);
      assertThat(found.judged()).as(sql).isInstanceOf(Keepable.class);
      found.form().ifPresent(form -> assertThat(form).isEqualTo(SqlStatement.of(sql).formDigest()));
    }
  }
}
