package dev.warmshelf;

import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.lang.reflect.Proxy;
import java.sql.Connection;
import java.sql.DatabaseMetaData;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.Collection;
import java.util.Deque;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ConcurrentLinkedDeque;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.locks.LockSupport;
import javax.sql.DataSource;
import org.postgresql.core.TransactionState;
import org.postgresql.jdbc.PgConnection;

/**
 * A data source that fails once, at the n-th call that is made to it, its connections, statements
 * or results. It knows which of its connections have not been given back.
 */
final class FaultySource {
  /** How a call fails. */
  enum Fault {
    /** Before it reaches the database; the connection lives on. */
    REFUSED,
    /** The connection is gone, and the database has not heard of it. */
    CUT_BEFORE,
    /** The database has done it; the answer and the connection are gone. */
    CUT_AFTER,
    /** It hangs until a timeout ends it and the connection. */
    HANGS,
    /** It works, late. */
    LATE,
    /** Something worse than an exception. */
    ERROR
  }

  private static final Set<Class<?>> FOLLOWED =
      Set.of(
          Connection.class,
          Statement.class,
          PreparedStatement.class,
          ResultSet.class,
          ResultSetMetaData.class,
          DatabaseMetaData.class);

  /** Calls that a program makes to clean up, or that ask nobody: they do not fail here. */
  private static final Set<String> SAFE =
      Set.of("close", "abort", "isClosed", "toString", "hashCode", "equals", "unwrap");

  private final DataSource real;
  private final AtomicLong calls = new AtomicLong();
  private final Set<Connection> open = ConcurrentHashMap.newKeySet();
  private final Deque<Connection> idle = new ConcurrentLinkedDeque<>();
  private final Deque<String> altered = new ConcurrentLinkedDeque<>();
  private volatile long failingCall = Long.MAX_VALUE;
  private volatile Fault fault = Fault.LATE;

  FaultySource(DataSource real) {
    this.real = real;
  }

  /** From now on, the n-th call fails. */
  void failAt(long call, Fault how) {
    calls.set(0);
    fault = how;
    failingCall = call;
  }

  /** How many calls have been made since {@link #failAt}. */
  long calls() {
    return calls.get();
  }

  /** Whether the call that was to fail has been made. */
  boolean hasFailed() {
    return calls.get() >= failingCall;
  }

  /** The connections that have not been given back. */
  Set<Connection> open() {
    return open;
  }

  /** How those were that were given back alive, but not as they came. */
  Collection<String> altered() {
    return altered;
  }

  DataSource dataSource() throws SQLException {
    DataSource source = mock();
    when(source.getConnection())
        .then(
            call -> {
              Connection connection = (Connection) called(null, this::borrowed);
              open.add(connection);
              return followed(connection, Connection.class, connection);
            });
    return source;
  }

  private Connection borrowed() throws SQLException {
    Connection known = idle.poll();
    return known == null || known.isClosed() ? real.getConnection() : known;
  }

  /** Ends the connections that nobody has. */
  void close() throws SQLException {
    for (Connection each : idle) {
      each.close();
    }
  }

  private interface Call {
    Object make() throws Exception;
  }

  private Object called(Connection on, Call call) throws Exception {
    if (calls.incrementAndGet() != failingCall) {
      return call.make();
    }
    switch (fault) {
      case REFUSED -> throw new SQLException("refused", "08000");
      case CUT_BEFORE -> throw cut(on);
      case CUT_AFTER -> {
        Object made = call.make(); // a connection that was just made is gone, too
        throw cut(made instanceof Connection connection ? connection : on);
      }
      case HANGS -> {
        LockSupport.parkNanos(30_000_000);
        throw cut(on);
      }
      case LATE -> {
        LockSupport.parkNanos(10_000_000);
        return call.make();
      }
      case ERROR -> throw new OutOfMemoryError("a test's");
    }
    throw new IllegalStateException();
  }

  private static SQLException cut(Connection on) throws SQLException {
    if (on != null) {
      on.abort(Runnable::run);
    }
    return new SQLException("the line is cut", "08006");
  }

  private Object followed(Object target, Class<?> type, Connection connection) {
    return Proxy.newProxyInstance(
        FaultySource.class.getClassLoader(),
        new Class<?>[] {type},
        (proxy, method, arguments) -> call(target, method, arguments, connection));
  }

  private Object call(Object target, Method method, Object[] arguments, Connection connection)
      throws Throwable {
    try {
      if (SAFE.contains(method.getName())) {
        if (method.getName().equals("close") && target instanceof Connection) {
          if (open.contains(connection)) {
            takeBack(connection); // first: whoever finds none open may end the idle ones
            open.remove(connection);
          }
          return null;
        }
        return method.invoke(target, arguments);
      }
      Object result = called(connection, () -> method.invoke(target, arguments));
      return result != null && FOLLOWED.contains(method.getReturnType())
          ? followed(result, method.getReturnType(), connection)
          : result;
    } catch (InvocationTargetException e) {
      throw e.getCause();
    }
  }

  /** What is given back alive must be as it came. */
  private void takeBack(Connection connection) throws SQLException {
    if (connection.isClosed()) {
      return;
    }
    String state = stateOf(connection);
    if (state.equals("clean")) {
      idle.add(connection);
    } else {
      altered.add(state);
      connection.close();
    }
  }

  private static String stateOf(Connection connection) throws SQLException {
    TransactionState transaction = connection.unwrap(PgConnection.class).getTransactionState();
    if (transaction != TransactionState.IDLE) {
      return "a transaction is " + transaction;
    } else if (!connection.getAutoCommit() || connection.getNetworkTimeout() != 0) {
      return "auto-commit " + connection.getAutoCommit() + ", " + connection.getNetworkTimeout();
    }
    try (Statement statement = connection.createStatement();
        ResultSet row =
            statement.executeQuery(
                "SELECT current_setting('enable_seqscan') || current_setting('statement_timeout')")) {
      row.next();
      return row.getString(1).equals("on0") ? "clean" : row.getString(1);
    }
  }
}
