package dev.warmshelf.measure.database;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import dev.warmshelf.answer.Binding;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;

/** Asks the database how it reads (PostgreSQL manual, EXPLAIN). */
final class ExplainedPlan {
  private static final ObjectMapper MAPPER = new ObjectMapper();

  private static final String PREPARED =
      "SELECT pg_catalog.cardinality(parameter_types) FROM pg_catalog.pg_prepared_statements"
          + " WHERE name OPERATOR(pg_catalog.=) 'warm_shelf_plan'::pg_catalog.text";

  private ExplainedPlan() {}

  /**
   * @param options of {@code EXPLAIN}, beside its format; {@code ANALYZE} executes the statement
   */
  static JsonNode of(Connection connection, String options, DatabaseWork.Sample sample)
      throws SQLException {
    try (PreparedStatement explain =
        connection.prepareStatement(
            "EXPLAIN (" + options + ", FORMAT JSON) " + sample.sql().driverText())) {
      Binding.bind(explain, sample.values(), sample.sql().driverOrder());
      try (ResultSet row = explain.executeQuery()) {
        return read(row);
      }
    }
  }

  /**
   * How it reads whatever the parameters are. Nothing is executed.
   *
   * @param text with parameters as {@code $1}
   */
  static JsonNode generic(Connection connection, String text) throws SQLException {
    boolean before = connection.getAutoCommit();
    boolean prepared = false;
    connection.setAutoCommit(false);
    try (Statement statement = connection.createStatement()) {
      statement.setEscapeProcessing(false);
      statement.execute("SET LOCAL plan_cache_mode = force_generic_plan");
      statement.execute("PREPARE warm_shelf_plan AS " + text);
      prepared = true;
      String values = "";
      try (ResultSet row = statement.executeQuery(PREPARED)) {
        row.next();
        values = "NULL,".repeat(row.getInt(1));
      }
      String list = values.isEmpty() ? "" : "(" + values.substring(0, values.length() - 1) + ")";
      try (ResultSet row =
          statement.executeQuery("EXPLAIN (VERBOSE, FORMAT JSON) EXECUTE warm_shelf_plan" + list)) {
        return read(row);
      }
    } finally {
      connection.rollback();
      connection.setAutoCommit(before);
      if (prepared) { // a rollback leaves it
        try (Statement statement = connection.createStatement()) {
          statement.execute("DEALLOCATE warm_shelf_plan");
        }
      }
    }
  }

  private static JsonNode read(ResultSet row) throws SQLException {
    row.next();
    try {
      return MAPPER.readTree(row.getString(1)).get(0);
    } catch (JsonProcessingException e) {
      throw new SQLException("The database's plan is not JSON.", e);
    }
  }
}
