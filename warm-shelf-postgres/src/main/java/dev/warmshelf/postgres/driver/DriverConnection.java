package dev.warmshelf.postgres.driver;

import dev.warmshelf.caller.Borrowed;
import java.sql.Connection;
import java.sql.SQLException;
import org.postgresql.core.BaseConnection;
import org.postgresql.core.TransactionState;
import org.postgresql.util.DriverInfo;

/**
 * A connection of PostgreSQL's driver, and what that knows of it beyond JDBC. Asks the server
 * nothing. Not thread-safe, like the connection.
 */
public final class DriverConnection {
  private final BaseConnection drivers;

  private DriverConnection(BaseConnection drivers) {
    this.drivers = drivers;
  }

  /**
   * The one behind a connection that a pool may have wrapped.
   *
   * @throws SQLException if there is none, or the connection is closed
   */
  public static DriverConnection behind(Connection connection) throws SQLException {
    return new DriverConnection(connection.unwrap(BaseConnection.class));
  }

  /**
   * Whether there is one.
   *
   * @throws SQLException if the connection is closed
   */
  public static boolean isBehind(Connection connection) throws SQLException {
    return connection.isWrapperFor(BaseConnection.class);
  }

  /** The driver's version. */
  public static String version() {
    return DriverInfo.DRIVER_VERSION;
  }

  /** The driver's own. */
  public Connection connection() {
    return drivers;
  }

  /**
   * Whether a transaction is open, whoever has begun it. On a connection that has been lost it is
   * over, and nobody knows how it ended.
   */
  public boolean isWithin() {
    return mayBeWithin() && !Borrowed.isGone(drivers);
  }

  /** The same, but that on a connection that has been lost one may be open as well. */
  public boolean mayBeWithin() {
    return drivers.getTransactionState() != TransactionState.IDLE;
  }

  /** Whether it can only be rolled back. */
  public boolean hasFailed() {
    return drivers.getTransactionState() == TransactionState.FAILED;
  }

  /** Whether strings are bound as such, and not as what their place needs. */
  public boolean stringsAreTyped() {
    return drivers.getStringVarcharFlag();
  }

  /**
   * What makes result sets that may lead to this connection.
   *
   * @throws SQLException if the connection is closed
   */
  public Maker maker() throws SQLException {
    return new Maker(drivers);
  }
}
