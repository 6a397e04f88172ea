package dev.warmshelf.config;

import java.io.PrintWriter;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.SQLFeatureNotSupportedException;
import java.util.logging.Logger;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/** Connections of a URL, each a new one: for what the shelves ask on their own. */
final class UrlSource implements DataSource {
  private final Connecting connecting;

  /** Makes a connection. */
  @FunctionalInterface
  interface Connecting {
    Connection connect() throws SQLException;
  }

  UrlSource(Connecting connecting) {
    this.connecting = connecting;
  }

  @Override
  public Connection getConnection() throws SQLException {
    return connecting.connect();
  }

  @Override
  public Connection getConnection(String user, String password) throws SQLException {
    throw new SQLFeatureNotSupportedException("The user is the URL's.");
  }

  @Override
  public @Nullable PrintWriter getLogWriter() {
    return null;
  }

  @Override
  public void setLogWriter(@Nullable PrintWriter out) {
    // nothing is written
  }

  @Override
  public void setLoginTimeout(int seconds) throws SQLException {
    throw new SQLFeatureNotSupportedException("The driver's properties say how long to wait.");
  }

  @Override
  public int getLoginTimeout() {
    return 0;
  }

  @Override
  public Logger getParentLogger() {
    return Logger.getLogger("dev.warmshelf");
  }

  @Override
  public <T> T unwrap(Class<T> type) throws SQLException {
    throw new SQLException("This is no wrapper.");
  }

  @Override
  public boolean isWrapperFor(Class<?> type) {
    return false;
  }
}
