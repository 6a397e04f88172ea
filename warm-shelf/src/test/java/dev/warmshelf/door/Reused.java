package dev.warmshelf.door;

import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Proxy;
import java.sql.Connection;
import java.sql.SQLException;
import javax.sql.DataSource;
import org.mockito.Mockito;

/**
 * A pool that gives the thread that made it one connection again and again: set back is what JDBC
 * has methods for, and nothing else of its session, as pools do. Other threads get another one each
 * time.
 */
final class Reused {
  private final DataSource beneath;
  private final Thread owner = Thread.currentThread();
  private Connection physical;

  private Reused(DataSource beneath) {
    this.beneath = beneath;
  }

  static DataSource over(DataSource beneath) throws SQLException {
    Reused pool = new Reused(beneath);
    DataSource source = Mockito.mock(DataSource.class);
    Mockito.when(source.getConnection()).thenAnswer(call -> pool.given());
    return source;
  }

  private Connection given() throws SQLException {
    if (Thread.currentThread() != owner) {
      return beneath.getConnection();
    } else if (physical == null || physical.isClosed()) {
      physical = beneath.getConnection();
    }
    Connection own = physical;
    boolean[] closed = {false};
    return (Connection)
        Proxy.newProxyInstance(
            Connection.class.getClassLoader(),
            new Class<?>[] {Connection.class},
            (proxy, method, arguments) -> {
              boolean isClose = method.getName().equals("close");
              if (isClose && !closed[0]) {
                closed[0] = true;
                setBack(own);
              }
              if (isClose) {
                return null;
              } else if (method.getName().equals("isClosed") && closed[0]) {
                return true;
              } else if (closed[0] && method.getDeclaringClass() == Connection.class) {
                throw new SQLException("This connection has been closed.", "08003");
              }
              try {
                return method.invoke(own, arguments);
              } catch (InvocationTargetException e) {
                throw e.getCause();
              }
            });
  }

  private static void setBack(Connection own) throws SQLException {
    if (own.isClosed()) {
      return;
    }
    if (!own.getAutoCommit()) {
      own.rollback();
      own.setAutoCommit(true);
    } else {
      try (var statement = own.createStatement()) {
        statement.execute("ROLLBACK"); // one that a statement has begun
      }
    }
    own.setReadOnly(false);
    own.setTransactionIsolation(Connection.TRANSACTION_READ_COMMITTED);
    own.clearWarnings();
  }
}
