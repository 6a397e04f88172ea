package dev.warmshelf.driver;

import java.io.PrintWriter;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.function.Function;
import java.util.logging.Logger;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;
import org.postgresql.core.BaseConnection;
import org.postgresql.core.BaseStatement;

/**
 * A data source whose connections ask the shelves before the database. A connection of the data
 * source beneath is taken only when the database must be asked, so that what the shelves answer
 * waits for no pool. Thread-safe.
 */
public final class ShelvedDataSource implements DataSource {
  private final DataSource beneath;
  private final Shelves shelves;
  private final Usual usual;
  private final BaseStatement maker;
  private final ShelvedMetaData metaData = new ShelvedMetaData();

  /**
   * What connections of the data source are like when they are taken.
   *
   * @param stringsAreTyped whether the driver binds strings as such
   */
  record Usual(boolean autoCommit, int isolation, int holdability, boolean stringsAreTyped) {}

  private ShelvedDataSource(
      DataSource beneath,
      Function<BaseStatement, Shelves> shelves,
      Usual usual,
      BaseStatement maker) {
    this.beneath = beneath;
    this.shelves = shelves.apply(maker);
    this.usual = usual;
    this.maker = maker;
  }

  /**
   * Wraps a data source.
   *
   * @param shelves given a statement of the driver's that makes result sets of kept answers, and
   *     sends nothing: it outlives the connection that it was made on, which is given back
   * @throws SQLException if it gives no connection of PostgreSQL's driver
   */
  public static ShelvedDataSource over(DataSource beneath, Function<BaseStatement, Shelves> shelves)
      throws SQLException {
    try (Connection connection = beneath.getConnection()) {
      if (!connection.isWrapperFor(BaseConnection.class)) {
        throw new SQLException(
            "The data source gives connections of "
                + connection.getClass().getName()
                + ", which do not unwrap to PostgreSQL's driver. Wrap a data source of"
                + " org.postgresql's, or a pool of them.");
      }
      BaseConnection own = connection.unwrap(BaseConnection.class);
      Usual usual =
          new Usual(
              connection.getAutoCommit(),
              connection.getTransactionIsolation(),
              connection.getHoldability(),
              own.getStringVarcharFlag());
      if (!connection.getAutoCommit()) {
        connection.rollback();
      }
      BaseStatement maker = (BaseStatement) own.createStatement();
      return new ShelvedDataSource(beneath, shelves, usual, maker);
    }
  }

  Usual usual() {
    return usual;
  }

  /** What its connections ask. */
  public Shelves shelves() {
    return shelves;
  }

  ShelvedMetaData metaData() {
    return metaData;
  }

  BaseStatement maker() {
    return maker;
  }

  @Override
  public Connection getConnection() {
    return new ShelvedConnection(this, () -> shelves.waits().of(beneath::getConnection));
  }

  /**
   * One of the database's connections, with shelves: for a pool above, which opens it and gives it
   * out again and again.
   *
   * @param physical closed together with what is returned
   * @throws SQLException if it is none of PostgreSQL's driver
   */
  public Connection around(Connection physical) throws SQLException {
    ShelvedConnection connection = new ShelvedConnection(this, () -> physical);
    connection.real();
    return connection;
  }

  /** Somebody else's connection: followed, but always the database answers. */
  @Override
  public Connection getConnection(String user, String password) throws SQLException {
    Connection others = beneath.getConnection(user, password);
    ShelvedConnection connection = new ShelvedConnection(this, () -> others);
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
