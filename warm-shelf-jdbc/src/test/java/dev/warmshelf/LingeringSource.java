package dev.warmshelf;

import java.io.PrintWriter;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Proxy;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.logging.Logger;
import javax.sql.DataSource;

/**
 * A data source that hands out one connection again and again, without auto-commit, and with
 * whatever transaction its last user left open: the way a badly set up pool does.
 */
final class LingeringSource implements DataSource {
  private final Connection connection;

  LingeringSource(DataSource source) throws SQLException {
    connection = source.getConnection();
    connection.setTransactionIsolation(Connection.TRANSACTION_REPEATABLE_READ);
    connection.setAutoCommit(false);
  }

  /** Opens a transaction whose snapshot is taken now. */
  void beginOldSnapshot() throws SQLException {
    try (Statement statement = connection.createStatement();
        ResultSet row = statement.executeQuery("SELECT count(*) FROM port")) {
      row.next();
    }
  }

  @Override
  public Connection getConnection() {
    return (Connection)
        Proxy.newProxyInstance(
            Connection.class.getClassLoader(),
            new Class<?>[] {Connection.class},
            (proxy, method, arguments) -> {
              if (method.getName().equals("close")) {
                return null;
              }
              try {
                return method.invoke(connection, arguments);
              } catch (InvocationTargetException e) {
                throw e.getCause();
              }
            });
  }

  @Override
  public Connection getConnection(String user, String password) {
    return getConnection();
  }

  @Override
  public PrintWriter getLogWriter() {
    throw new UnsupportedOperationException();
  }

  @Override
  public void setLogWriter(PrintWriter out) {}

  @Override
  public void setLoginTimeout(int seconds) {}

  @Override
  public int getLoginTimeout() {
    return 0;
  }

  @Override
  public Logger getParentLogger() {
    throw new UnsupportedOperationException();
  }

  @Override
  public <T> T unwrap(Class<T> type) {
    throw new UnsupportedOperationException();
  }

  @Override
  public boolean isWrapperFor(Class<?> type) {
    return false;
  }
}
