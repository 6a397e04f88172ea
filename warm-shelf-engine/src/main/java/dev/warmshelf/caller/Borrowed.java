package dev.warmshelf.caller;

import java.sql.Connection;
import java.sql.SQLException;
import java.sql.SQLFeatureNotSupportedException;
import java.util.ArrayDeque;
import java.util.Deque;
import javax.sql.DataSource;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * A connection borrowed from a data source, and given back as it came. What was set on it is set
 * back, the last first. One that cannot be set back, or that somebody has found spoiled, is ended
 * instead: a pool must not hand it to anybody else, and no transaction that is still open on it may
 * be committed by changing auto-commit.
 *
 * <p>Not thread-safe, like the connection.
 */
public final class Borrowed implements AutoCloseable {
  private static final Logger LOG = LoggerFactory.getLogger(Borrowed.class);

  private final Connection connection;
  private final Deque<Change> undo = new ArrayDeque<>();
  private boolean spoiled;

  private interface Change {
    void run() throws SQLException;
  }

  private Borrowed(Connection connection) {
    this.connection = connection;
  }

  /**
   * Borrows a connection.
   *
   * @throws SQLException if that failed; the connection has been ended then
   */
  public static Borrowed from(DataSource dataSource) throws SQLException {
    return new Borrowed(dataSource.getConnection());
  }

  /**
   * Borrows a connection, and notes how long that took.
   *
   * @throws SQLException if that failed; the connection has been ended then
   */
  public static Borrowed from(DataSource dataSource, Waits waits) throws SQLException {
    return new Borrowed(waits.of(dataSource::getConnection));
  }

  /** Whether a connection has been closed, or cannot even say so. */
  public static boolean isGone(Connection connection) {
    try {
      return connection.isClosed();
    } catch (SQLException e) {
      return true;
    }
  }

  /** The connection, not to be closed. */
  public Connection connection() {
    return connection;
  }

  /**
   * Sets auto-commit until the connection is given back.
   *
   * @throws SQLException if that failed; like all that fails here, it ends the connection
   */
  public Borrowed autoCommit(boolean to) throws SQLException {
    return changing(
        () -> {
          boolean was = connection.getAutoCommit();
          if (was != to) {
            undo.push(() -> connection.setAutoCommit(was));
            connection.setAutoCommit(to);
          }
        });
  }

  /**
   * Sets the network timeout until the connection is given back, if the driver knows such.
   *
   * @throws SQLException if that failed; the connection has been ended then
   */
  public Borrowed networkTimeout(int millis) throws SQLException {
    return changing(
        () -> {
          try {
            int was = connection.getNetworkTimeout();
            undo.push(() -> connection.setNetworkTimeout(Runnable::run, was));
            connection.setNetworkTimeout(Runnable::run, millis);
          } catch (SQLFeatureNotSupportedException e) {
            LOG.debug("this driver has no network timeouts", e);
          }
        });
  }

  /**
   * Sets a setting of the session until the connection is given back.
   *
   * @throws SQLException if that failed; the connection has been ended then
   */
  public Borrowed setting(String name, String value) throws SQLException {
    return changing(
        () -> {
          String was;
          try (var ask = connection.prepareStatement("SELECT pg_catalog.current_setting(?)")) {
            ask.setString(1, name);
            try (var row = ask.executeQuery()) {
              row.next();
              was = row.getString(1);
            }
          }
          undo.push(() -> set(name, was));
          set(name, value);
        });
  }

  /** A change that fails halfway leaves a connection that nobody can set back, and nobody holds. */
  private Borrowed changing(Change change) throws SQLException {
    boolean done = false;
    try {
      change.run();
      done = true;
      return this;
    } finally {
      if (!done) {
        spoil();
        close();
      }
    }
  }

  private void set(String name, String value) throws SQLException {
    try (var set = connection.prepareStatement("SELECT pg_catalog.set_config(?, ?, false)")) {
      set.setString(1, name);
      set.setString(2, value);
      set.execute();
    }
  }

  /** Runs a statement when the connection is given back, before what was set is set back. */
  public Borrowed finallyRun(String sql) {
    undo.push(
        () -> {
          try (var statement = connection.createStatement()) {
            statement.execute(sql);
          }
        });
    return this;
  }

  /** Nobody knows what state the connection is in: it will be ended, not given back. */
  public void spoil() {
    spoiled = true;
  }

  /** Gives the connection back as it came, or ends it. */
  @Override
  public void close() {
    try (connection) {
      boolean asItCame = false;
      try {
        asItCame = !spoiled && setBack();
      } finally { // an error, too, leaves it as nobody may have it
        if (!asItCame) {
          connection.abort(Runnable::run);
        }
      }
    } catch (SQLException e) {
      LOG.debug("giving a connection back failed", e);
    }
  }

  /** Whether all could be set back; if not, nobody knows what state the connection is in. */
  private boolean setBack() {
    try {
      for (Change each : undo) {
        if (!connection.isClosed()) {
          each.run();
        }
      }
      return true;
    } catch (SQLException e) {
      LOG.debug("a connection could not be given back as it came, and is ended", e);
      return false;
    }
  }
}
