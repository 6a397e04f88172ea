package dev.warmshelf.caller;

import java.io.PrintWriter;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.SQLFeatureNotSupportedException;
import java.util.Properties;
import java.util.logging.Logger;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/** Connections that come from no pool. Thread-safe. */
public final class OwnConnections implements DataSource {
  private final String url;
  private final Properties who = new Properties();

  /**
   * They lead there, as this role.
   *
   * @param user null for what the URL says, or the driver finds
   * @param password null for the same, such as the one in a password file
   */
  public OwnConnections(String url, @Nullable String user, @Nullable String password) {
    this.url = url;
    if (user != null) {
      who.setProperty("user", user);
    }
    if (password != null) {
      who.setProperty("password", password);
    }
  }

  @Override
  public Connection getConnection() throws SQLException {
    return DriverManager.getConnection(url, who);
  }

  @Override
  public Connection getConnection(String as, String with) throws SQLException {
    return DriverManager.getConnection(url, as, with);
  }

  @Override
  public PrintWriter getLogWriter() {
    return DriverManager.getLogWriter();
  }

  @Override
  public void setLogWriter(PrintWriter out) throws SQLException {
    throw new SQLFeatureNotSupportedException("The log is the driver manager's.");
  }

  @Override
  public void setLoginTimeout(int seconds) throws SQLException {
    throw new SQLFeatureNotSupportedException("The login timeout is the URL's to set.");
  }

  @Override
  public int getLoginTimeout() {
    return DriverManager.getLoginTimeout();
  }

  @Override
  public Logger getParentLogger() throws SQLFeatureNotSupportedException {
    throw new SQLFeatureNotSupportedException("There is no such logger.");
  }

  @Override
  public <T> T unwrap(Class<T> type) throws SQLException {
    throw new SQLException("This wraps no " + type.getName() + ".");
  }

  @Override
  public boolean isWrapperFor(Class<?> type) {
    return false;
  }
}
