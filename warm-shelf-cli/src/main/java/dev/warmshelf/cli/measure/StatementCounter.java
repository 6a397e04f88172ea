package dev.warmshelf.cli.measure;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.ObjectMapper;
import dev.warmshelf.sql.SqlStatement;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import javax.sql.DataSource;

/**
 * How often the database has executed the measured questions, by its own count: {@code
 * pg_stat_statements}. A question is found there by the identifier that the planner gives it, which
 * {@code EXPLAIN (VERBOSE)} shows.
 */
public final class StatementCounter {
  private static final String COUNT =
      """
      SELECT coalesce(sum(calls), 0) FROM pg_stat_statements
      WHERE queryid = ANY (?) AND dbid = (SELECT oid FROM pg_database WHERE datname = current_database())
      """;

  private final DataSource dataSource;
  private final Long[] identifiers;

  private StatementCounter(DataSource dataSource, List<Long> identifiers) {
    this.dataSource = dataSource;
    this.identifiers = identifiers.toArray(new Long[0]);
  }

  /** A counter of the given requests' statements; empty if the database does not count. */
  public static Optional<StatementCounter> of(DataSource dataSource, List<Request> requests)
      throws SQLException {
    try (Connection connection = dataSource.getConnection()) {
      try (PreparedStatement installed =
              connection.prepareStatement(
                  "SELECT 1 FROM pg_extension WHERE extname = 'pg_stat_statements'");
          ResultSet row = installed.executeQuery()) {
        if (!row.next()) {
          return Optional.empty();
        }
      }
      List<Long> identifiers = new ArrayList<>();
      for (Request request : requests) {
        identifiers.add(identifier(connection, request));
      }
      StatementCounter counter = new StatementCounter(dataSource, identifiers);
      counter.count(); // says now if the extension is not loaded
      return Optional.of(counter);
    }
  }

  /** Executions so far. */
  public long count() throws SQLException {
    try (Connection connection = dataSource.getConnection();
        PreparedStatement statement = connection.prepareStatement(COUNT)) {
      statement.setArray(1, connection.createArrayOf("int8", identifiers));
      try (ResultSet row = statement.executeQuery()) {
        row.next();
        return row.getLong(1);
      }
    }
  }

  private static long identifier(Connection connection, Request request) throws SQLException {
    SqlStatement sql = SqlStatement.of(request.kind().sql());
    try (PreparedStatement explain =
        connection.prepareStatement("EXPLAIN (VERBOSE, FORMAT JSON) " + sql.driverText())) {
      DirectWay.bind(explain, sql, request);
      try (ResultSet row = explain.executeQuery()) {
        row.next();
        return new ObjectMapper()
            .readTree(row.getString(1))
            .get(0)
            .get("Query Identifier")
            .asLong();
      }
    } catch (JsonProcessingException e) {
      throw new SQLException("The database's plan is not JSON.", e);
    }
  }
}
