package dev.warmshelf.postgres;

import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import javax.sql.DataSource;

/**
 * What in a data source's sessions can change an answer though the statement stays the same.
 *
 * @param ambient database, role, search path, time zone and output styles, in one line
 * @param replica whether the server is a standby
 */
public record Session(String ambient, boolean replica) {
  private static final String ASK =
      """
      SELECT concat_ws(';', current_database(), current_user, current_setting('search_path'),
                       current_setting('TimeZone'), current_setting('DateStyle'),
                       current_setting('IntervalStyle'), current_setting('lc_monetary'),
                       current_setting('lc_numeric'), current_setting('lc_time'),
                       current_setting('extra_float_digits'),
                       current_setting('standard_conforming_strings')),
             pg_is_in_recovery()
      """;

  /** Asks one of the data source's connections. */
  public static Session of(DataSource dataSource) throws SQLException {
    try (Connection connection = dataSource.getConnection()) {
      return of(connection);
    }
  }

  /** Asks this connection. */
  public static Session of(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement();
        ResultSet row = statement.executeQuery(ASK)) {
      row.next();
      return new Session(row.getString(1), row.getBoolean(2));
    }
  }

  /**
   * Refuses a standby: what it answers may be older than what the feed has told.
   *
   * @throws SQLException if the server is one
   */
  public void requirePrimary() throws SQLException {
    if (replica) {
      throw new SQLException(
          "The data source leads to a replica, whose answers may lag behind the change feed. Give"
              + " a data source of the primary.");
    }
  }
}
