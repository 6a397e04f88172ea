package dev.warmshelf.bench;

import dev.warmshelf.measure.survey.Survey;
import dev.warmshelf.measure.survey.Surveyed;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.Questions;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.statement.SqlStatement;
import java.io.PrintStream;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.Statement;
import java.time.Duration;
import java.util.List;
import java.util.Locale;

/** How long a survey takes: {@code SurveyCost STATEMENTS}, no two of which are alike. */
public final class SurveyCost {
  private static final int EXECUTIONS = 3;
  private static final int COLUMNS = 10;

  private static final List<String> QUERIES =
      List.of(
          Questions.DEPARTURES,
          Questions.OCCUPANCY,
          Questions.AGENT_FIGURES,
          "SELECT id, name FROM port WHERE island = :island ORDER BY name LIMIT 10",
          "SELECT count(*) FROM booking WHERE booked_at > :from AND status = 'HELD'");

  private SurveyCost() {}

  /**
   * Surveys, and prints how long that took after the watching.
   *
   * @throws Exception if the database could not be started or asked
   */
  public static void main(String[] arguments) throws Exception {
    int statements = Integer.parseInt(arguments[0]);
    try (LocalPostgres server = LocalPostgres.start();
        Connection connection = server.dataSource("postgres").getConnection();
        Statement plain = connection.createStatement()) {
      SkerryLine.loadTiny(server.dataSource("postgres"));
      plain.execute("CREATE EXTENSION pg_stat_statements");
      Survey survey = Survey.begin(server.dataSource("postgres"), Duration.ofMinutes(10));
      for (int i = 0; i < statements; i++) {
        ask(connection, QUERIES.get(i % QUERIES.size()), i);
      }
      long began = System.nanoTime();
      Surveyed surveyed = survey.end((done, all) -> {});
      PrintStream out = System.out;
      out.printf(
          Locale.ROOT,
          "%d statements surveyed in %.2f s%n",
          surveyed.statements().size(),
          (System.nanoTime() - began) / 1e9);
    }
  }

  /** One that the server counts for itself, since it has more columns or conditions. */
  private static void ask(Connection connection, String query, int number) throws Exception {
    int kind = number / QUERIES.size();
    String columns = ", 0".repeat(kind % COLUMNS);
    String conditions = " AND 0 = 0".repeat(kind / COLUMNS);
    String inner = SqlStatement.of(query).driverText();
    String sql = "SELECT *" + columns + " FROM (" + inner + ") AS asked WHERE true" + conditions;
    try (PreparedStatement asked = connection.prepareStatement(sql)) {
      for (int i = 1; i <= asked.getParameterMetaData().getParameterCount(); i++) {
        asked.setNull(i, asked.getParameterMetaData().getParameterType(i));
      }
      for (int i = 0; i < EXECUTIONS; i++) {
        asked.execute();
      }
    }
  }
}
