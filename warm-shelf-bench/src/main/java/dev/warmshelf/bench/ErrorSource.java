package dev.warmshelf.bench;

import java.io.PrintWriter;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Proxy;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.logging.Logger;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/** A data source whose prepared statements throw an {@link Error} as often as was asked for. */
final class ErrorSource implements DataSource {
  private final DataSource real;
  private final AtomicInteger errors = new AtomicInteger();

  ErrorSource(DataSource real) {
    this.real = real;
  }

  /** The next so many executions throw. */
  void fail(int times) {
    errors.set(times);
  }

  @Override
  public Connection getConnection() throws SQLException {
    return proxy(Connection.class, real.getConnection());
  }

  private <T> T proxy(Class<T> type, Object target) {
    return type.cast(
        Proxy.newProxyInstance(
            ErrorSource.class.getClassLoader(),
            new Class<?>[] {type},
            (proxy, method, arguments) -> {
              if (method.getName().startsWith("execute")
                  && errors.getAndUpdate(left -> Math.max(0, left - 1)) > 0) {
                throw new OutOfMemoryError("thrown on purpose");
              }
              Object result = call(target, method, arguments);
              return result instanceof PreparedStatement
                  ? proxy(PreparedStatement.class, result)
                  : result;
            }));
  }

  private static @Nullable Object call(
      Object target, java.lang.reflect.Method method, Object @Nullable [] arguments)
      throws Throwable {
    try {
      return method.invoke(target, arguments);
    } catch (InvocationTargetException e) {
      throw e.getCause() == null ? e : e.getCause();
    }
  }

  @Override
  public Connection getConnection(String user, String password) throws SQLException {
    return getConnection();
  }

  @Override
  public PrintWriter getLogWriter() throws SQLException {
    return real.getLogWriter();
  }

  @Override
  public void setLogWriter(PrintWriter out) throws SQLException {
    real.setLogWriter(out);
  }

  @Override
  public void setLoginTimeout(int seconds) throws SQLException {
    real.setLoginTimeout(seconds);
  }

  @Override
  public int getLoginTimeout() throws SQLException {
    return real.getLoginTimeout();
  }

  @Override
  public Logger getParentLogger() {
    return Logger.getGlobal();
  }

  @Override
  public <T> T unwrap(Class<T> type) throws SQLException {
    return real.unwrap(type);
  }

  @Override
  public boolean isWrapperFor(Class<?> type) throws SQLException {
    return real.isWrapperFor(type);
  }
}
