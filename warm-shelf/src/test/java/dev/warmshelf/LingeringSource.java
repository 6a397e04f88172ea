package dev.warmshelf;

import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import javax.sql.DataSource;

/**
 * A data source that hands out one connection again and again, without auto-commit, and with
 * whatever transaction its last user left open: the way a badly set up pool does.
 */
final class LingeringSource {
  private final Connection connection;
  private final DataSource dataSource;

  LingeringSource(DataSource source) throws SQLException {
    connection = source.getConnection();
    connection.setTransactionIsolation(Connection.TRANSACTION_REPEATABLE_READ);
    connection.setAutoCommit(false);
    dataSource = PooledOne.of(connection);
  }

  DataSource dataSource() {
    return dataSource;
  }

  /** Opens a transaction whose snapshot is taken now. */
  void beginOldSnapshot() throws SQLException {
    try (Statement statement = connection.createStatement();
        ResultSet row = statement.executeQuery("SELECT count(*) FROM port")) {
      row.next();
    }
  }
}
