package dev.warmshelf.measure.database;

import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.LinkedHashMap;
import java.util.Map;
import javax.sql.DataSource;

/**
 * What a run must say of the database.
 *
 * @param product its name and version
 * @param bytes how big it is
 * @param data the workload's own facts
 */
public record DatabaseFacts(String product, long bytes, Map<String, Long> data) {
  /**
   * @param asked a statement that gives one number, for each of the workload's own facts
   */
  public static DatabaseFacts of(DataSource dataSource, Map<String, String> asked)
      throws SQLException {
    Map<String, Long> data = new LinkedHashMap<>();
    try (Connection connection = dataSource.getConnection();
        Statement statement = connection.createStatement()) {
      for (Map.Entry<String, String> fact : asked.entrySet()) {
        try (ResultSet row = statement.executeQuery(fact.getValue())) {
          row.next();
          data.put(fact.getKey(), row.getLong(1));
        }
      }
      try (ResultSet row =
          statement.executeQuery(
              "SELECT pg_catalog.current_setting('server_version'),"
                  + " pg_catalog.pg_database_size(pg_catalog.current_database())")) {
        row.next();
        return new DatabaseFacts("PostgreSQL " + row.getString(1), row.getLong(2), data);
      }
    }
  }
}
