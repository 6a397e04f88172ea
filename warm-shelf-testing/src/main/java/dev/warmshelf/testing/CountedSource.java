package dev.warmshelf.testing;

import java.io.PrintWriter;
import java.lang.reflect.InvocationHandler;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.lang.reflect.Proxy;
import java.sql.CallableStatement;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.logging.Logger;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/**
 * A data source that notes the text of each statement that is run over it: what is prepared counts
 * when it is run, each time; a batch counts as many times as it has rows. Thread-safe.
 */
final class CountedSource implements DataSource {
  private final DataSource source;
  private final List<String> sent = new ArrayList<>();

  private final Runnable taking;

  private CountedSource(DataSource source, Runnable taking) {
    this.source = Objects.requireNonNull(source, "source");
    this.taking = taking;
  }

  /**
   * Counts what goes to this one.
   *
   * @param taking run with each statement, before its answer is there
   */
  static CountedSource over(DataSource source, Runnable taking) {
    return new CountedSource(source, taking);
  }

  /** What has been run since the beginning, or since {@link #forget}. */
  public SentStatements statements() {
    synchronized (sent) {
      return new SentStatements(List.copyOf(sent), "");
    }
  }

  /** Counts from nothing again. */
  public void forget() {
    synchronized (sent) {
      sent.clear();
    }
  }

  private void note(@Nullable String text) {
    synchronized (sent) {
      sent.add(text == null ? "" : text);
    }
    taking.run();
  }

  @Override
  public Connection getConnection() throws SQLException {
    return counted(source.getConnection());
  }

  @Override
  public Connection getConnection(String user, String password) throws SQLException {
    return counted(source.getConnection(user, password));
  }

  private Connection counted(Connection connection) {
    return passing(Connection.class, new OfConnection(connection));
  }

  private static <T> T passing(Class<T> type, InvocationHandler handler) {
    return type.cast(Proxy.newProxyInstance(type.getClassLoader(), new Class<?>[] {type}, handler));
  }

  private static @Nullable Object passOn(Object to, Method method, @Nullable Object[] arguments)
      throws Throwable {
    try {
      return method.invoke(to, arguments);
    } catch (InvocationTargetException e) {
      throw e.getCause() == null ? e : e.getCause();
    }
  }

  /** Wraps the statements of a connection. */
  private final class OfConnection implements InvocationHandler {
    private final Connection connection;

    OfConnection(Connection connection) {
      this.connection = connection;
    }

    @Override
    public @Nullable Object invoke(Object self, Method method, @Nullable Object[] arguments)
        throws Throwable {
      if (method.getName().equals("equals") && arguments != null) {
        return self == arguments[0];
      }
      Object result = passOn(connection, method, arguments);
      if (!(result instanceof Statement statement)) {
        return result;
      }
      String text = arguments != null && arguments[0] instanceof String sql ? sql : null;
      Connection from = (Connection) self;
      Class<? extends Statement> type =
          statement instanceof CallableStatement
              ? CallableStatement.class
              : statement instanceof PreparedStatement ? PreparedStatement.class : Statement.class;
      return passing(type, new OfStatement(from, statement, text));
    }
  }

  /** Notes what a statement runs. */
  private final class OfStatement implements InvocationHandler {
    private final Connection from;
    private final Statement statement;
    private final @Nullable String prepared;
    private final List<@Nullable String> batch = new ArrayList<>();

    OfStatement(Connection from, Statement statement, @Nullable String prepared) {
      this.from = from;
      this.statement = statement;
      this.prepared = prepared;
    }

    @Override
    public @Nullable Object invoke(Object self, Method method, @Nullable Object[] arguments)
        throws Throwable {
      String text = arguments != null && arguments[0] instanceof String sql ? sql : prepared;
      switch (method.getName()) {
        case "addBatch" -> batch.add(text);
        case "clearBatch" -> batch.clear();
        case "executeBatch", "executeLargeBatch" -> {
          batch.forEach(CountedSource.this::note);
          batch.clear();
        }
        case "execute", "executeQuery", "executeUpdate", "executeLargeUpdate" -> note(text);
        case "equals" -> {
          return arguments != null && self == arguments[0];
        }
        case "getConnection" -> {
          return from;
        }
        default -> {}
      }
      return passOn(statement, method, arguments);
    }
  }

  @Override
  public @Nullable PrintWriter getLogWriter() throws SQLException {
    return source.getLogWriter();
  }

  @Override
  public void setLogWriter(@Nullable PrintWriter out) throws SQLException {
    source.setLogWriter(out);
  }

  @Override
  public void setLoginTimeout(int seconds) throws SQLException {
    source.setLoginTimeout(seconds);
  }

  @Override
  public int getLoginTimeout() throws SQLException {
    return source.getLoginTimeout();
  }

  @Override
  public Logger getParentLogger() {
    return Logger.getLogger(Logger.GLOBAL_LOGGER_NAME);
  }

  @Override
  public <T> T unwrap(Class<T> type) throws SQLException {
    return type.isInstance(source) ? type.cast(source) : source.unwrap(type);
  }

  @Override
  public boolean isWrapperFor(Class<?> type) throws SQLException {
    return type.isInstance(source) || source.isWrapperFor(type);
  }
}
