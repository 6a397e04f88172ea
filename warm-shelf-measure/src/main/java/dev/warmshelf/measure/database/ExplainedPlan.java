package dev.warmshelf.measure.database;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import dev.warmshelf.row.Binding;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;

/** Asks the database how it reads (PostgreSQL manual, EXPLAIN). */
final class ExplainedPlan {
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
        row.next();
        return new ObjectMapper().readTree(row.getString(1)).get(0);
      }
    } catch (JsonProcessingException e) {
      throw new SQLException("The database's plan is not JSON.", e);
    }
  }
}
