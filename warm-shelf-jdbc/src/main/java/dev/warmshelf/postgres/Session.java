package dev.warmshelf.postgres;

import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import javax.sql.DataSource;

/**
 * What in a session can change an answer though the statement stays the same, and whether others
 * may see what it sees.
 *
 * @param ambient database, role, search path, time zone and output styles, in one line
 * @param replica whether the server is a standby
 * @param alone whether the transaction has written, so that it may see what others do not
 */
public record Session(String ambient, boolean replica, boolean alone) {
  /** One row; cheap enough to be sent along with each load. */
  public static final String ASK =
      """
      SELECT concat_ws(';', current_database(), current_user, current_setting('search_path'),
                       current_setting('TimeZone'), current_setting('DateStyle'),
                       current_setting('IntervalStyle'), current_setting('lc_monetary'),
                       current_setting('lc_numeric'), current_setting('lc_time'),
                       current_setting('extra_float_digits'),
                       current_setting('standard_conforming_strings')),
             pg_is_in_recovery(), pg_current_xact_id_if_assigned() IS NOT NULL
      """;

  /** Asks one of the data source's connections. */
  public static Session of(DataSource dataSource) throws SQLException {
    try (Connection connection = dataSource.getConnection();
        Statement statement = connection.createStatement();
        ResultSet row = statement.executeQuery(ASK)) {
      return read(row);
    }
  }

  /** Reads what {@link #ASK} gives. */
  public static Session read(ResultSet row) throws SQLException {
    row.next();
    return new Session(row.getString(1), row.getBoolean(2), row.getBoolean(3));
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
