package dev.warmshelf.door;

import dev.warmshelf.postgres.driver.DriverConnection;
import dev.warmshelf.postgres.driver.DriverTrial;
import dev.warmshelf.postgres.driver.Maker;
import java.io.PrintWriter;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.logging.Logger;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/**
 * A data source whose connections ask the shelves before the database. A connection of the data
 * source beneath is taken only when the database must be asked, so that what the shelves answer
 * waits for no pool. Thread-safe.
 */
public final class ShelvedDataSource implements DataSource {
  private final DataSource beneath;
  private final Opening opening;
  private volatile @Nullable Opened opened;

  /** Makes the shelves once the data source has given a connection. */
  @FunctionalInterface
  public interface Opening {
    /**
     * Makes them.
     *
     * @param maker a statement of the driver's that makes result sets of kept answers, and sends
     *     nothing: it outlives the connection that it was made on, which is given back
     * @throws SQLException if the database must be asked, and cannot
     */
    Shelves open(Maker maker) throws SQLException;
  }

  /** What is known once the data source has given a connection. */
  record Opened(Usual usual, Maker maker, Shelves shelves, ShelvedMetaData metaData) {}

  /**
   * What connections of the data source are like when they are taken.
   *
   * @param stringsAreTyped whether the driver binds strings as such
   */
  record Usual(boolean autoCommit, int isolation, int holdability, boolean stringsAreTyped) {}

  /** Wraps a data source, which is asked for nothing yet. */
  public ShelvedDataSource(DataSource beneath, Opening opening) {
    this.beneath = beneath;
    this.opening = opening;
  }

  /**
   * The shelves. The first time the data source is asked what its connections are like.
   *
   * @throws SQLException if it gives no connection, or none of PostgreSQL's driver
   */
  public Shelves shelves() throws SQLException {
    return opened().shelves();
  }

  private Opened opened() throws SQLException {
    Opened known = opened;
    if (known == null) {
      Opened made = open();
      synchronized (this) {
        known = opened;
        if (known == null) {
          known = made;
          opened = known;
        }
      }
    }
    return known;
  }

  private Opened open() throws SQLException {
    Usual usual;
    Maker maker;
    LinkageError misfit = null;
    try (Connection connection = beneath.getConnection()) {
      if (!DriverConnection.isBehind(connection)) {
        throw new SQLException(
            "The data source gives connections of "
                + connection.getClass().getName()
                + ", which do not unwrap to PostgreSQL's driver. Wrap a data source of"
                + " org.postgresql's, or a pool of them.");
      }
      DriverConnection own = DriverConnection.behind(connection);
      usual =
          new Usual(
              connection.getAutoCommit(),
              connection.getTransactionIsolation(),
              connection.getHoldability(),
              own.stringsAreTyped());
      maker = own.maker();
      try {
        DriverTrial.run(own, maker); // a pool gives up connections for less
      } catch (LinkageError e) {
        misfit = e;
      } catch (RuntimeException e) {
        misfit = new LinkageError("Result sets of kept answers fail: " + e, e);
      }
      if (!connection.getAutoCommit()) {
        connection.rollback();
      }
    }
    Shelves shelves = opening.open(maker);
    if (misfit != null) {
      shelves.doNotFit(misfit);
    }
    return new Opened(usual, maker, shelves, new ShelvedMetaData());
  }

  @Override
  public Connection getConnection() throws SQLException {
    Opened known = opened();
    return new ShelvedConnection(known, () -> known.shelves().waits().of(beneath::getConnection));
  }

  /**
   * One of the database's connections, with shelves: for a pool above, which opens it and gives it
   * out again and again.
   *
   * @param physical closed together with what is returned, or if this fails
   * @throws SQLException if it is none of PostgreSQL's driver
   */
  public Connection around(Connection physical) throws SQLException {
    boolean done = false;
    try {
      ShelvedConnection connection = new ShelvedConnection(opened(), () -> physical);
      connection.real();
      done = true;
      return connection;
    } finally {
      if (!done) {
        physical.close();
      }
    }
  }

  /** Somebody else's connection: followed, but always the database answers. */
  @Override
  public Connection getConnection(String user, String password) throws SQLException {
    Opened known = opened();
    Connection others = beneath.getConnection(user, password);
    ShelvedConnection connection = new ShelvedConnection(known, () -> others);
    connection.real();
    connection.isHandedOut();
    return connection;
  }

  @Override
  public @Nullable PrintWriter getLogWriter() throws SQLException {
    return beneath.getLogWriter();
  }

  @Override
  public void setLogWriter(@Nullable PrintWriter out) throws SQLException {
    beneath.setLogWriter(out);
  }

  @Override
  public void setLoginTimeout(int seconds) throws SQLException {
    beneath.setLoginTimeout(seconds);
  }

  @Override
  public int getLoginTimeout() throws SQLException {
    return beneath.getLoginTimeout();
  }

  @Override
  public Logger getParentLogger() {
    return Logger.getLogger("dev.warmshelf");
  }

  @Override
  public <T> T unwrap(Class<T> type) throws SQLException {
    if (type.isInstance(this)) {
      return type.cast(this);
    }
    return type.isInstance(beneath) ? type.cast(beneath) : beneath.unwrap(type);
  }

  @Override
  public boolean isWrapperFor(Class<?> type) throws SQLException {
    return type.isInstance(this) || type.isInstance(beneath) || beneath.isWrapperFor(type);
  }
}
