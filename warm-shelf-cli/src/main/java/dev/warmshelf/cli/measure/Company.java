package dev.warmshelf.cli.measure;

import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.HashMap;
import java.util.Map;
import javax.sql.DataSource;

/**
 * What the run must know of the data before it begins.
 *
 * @param sailings how many there are; their ids begin at 1
 * @param days how many days they spread over
 * @param bookings how many there are
 * @param revisions per route, the sum of its sailings' versions
 * @param database the server's product and version
 */
public record Company(
    int sailings, int days, long bookings, Map<Integer, Long> revisions, String database) {

  /**
   * Asks the database.
   *
   * @throws SQLException if it cannot be reached, or does not hold Skerry Line's tables
   */
  static Company in(DataSource dataSource) throws SQLException {
    try (Connection connection = dataSource.getConnection();
        Statement statement = connection.createStatement()) {
      try (ResultSet row =
          statement.executeQuery(
              "SELECT to_regclass('sailing') IS NOT NULL AND to_regclass('booking') IS NOT NULL")) {
        row.next();
        if (!row.getBoolean(1)) {
          throw new SQLException(
              "This database does not hold the demo's tables; 'shelf demo --keep' starts one that"
                  + " does.");
        }
      }
      Map<Integer, Long> revisions = new HashMap<>();
      try (ResultSet rows =
          statement.executeQuery("SELECT route_id, sum(version) FROM sailing GROUP BY route_id")) {
        while (rows.next()) {
          revisions.put(rows.getInt(1), rows.getLong(2));
        }
      }
      try (ResultSet row =
          statement.executeQuery(
              "SELECT max(id), max(day) - min(day) + 1, (SELECT count(*) FROM booking),"
                  + " current_setting('server_version') FROM sailing")) {
        row.next();
        return new Company(
            row.getInt(1),
            row.getInt(2),
            row.getLong(3),
            Map.copyOf(revisions),
            "PostgreSQL " + row.getString(4));
      }
    }
  }
}
