package dev.warmshelf.measure.database;

import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;

/**
 * As long as it is open, names in what its connection is asked mean the system's own: operators and
 * functions that somebody has made elsewhere would else run with the rights of whoever asks
 * (manual, section 5.10.6).
 */
public final class SystemPath implements AutoCloseable {
  private final Connection connection;
  private final String before;

  private SystemPath(Connection connection, String before) {
    this.connection = connection;
    this.before = before;
  }

  /**
   * Sets it, until it is closed.
   *
   * @throws SQLException if the database could not be asked
   */
  public static SystemPath on(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement();
        ResultSet row =
            statement.executeQuery("SELECT pg_catalog.current_setting('search_path')")) {
      row.next();
      SystemPath path = new SystemPath(connection, row.getString(1));
      path.set("pg_catalog, pg_temp");
      return path;
    }
  }

  @Override
  public void close() throws SQLException {
    set(before);
  }

  private void set(String path) throws SQLException {
    try (PreparedStatement statement =
        connection.prepareStatement("SELECT pg_catalog.set_config('search_path', ?, false)")) {
      statement.setString(1, path);
      statement.execute();
    }
  }
}
