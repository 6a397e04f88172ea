package dev.warmshelf;

import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Proxy;
import java.sql.Connection;
import java.sql.SQLException;
import javax.sql.DataSource;

/** A data source that hands out the same connection again and again, and never closes it. */
public final class PooledOne {
  private PooledOne() {}

  public static DataSource of(Connection connection) throws SQLException {
    Connection shared =
        (Connection)
            Proxy.newProxyInstance(
                Connection.class.getClassLoader(),
                new Class<?>[] {Connection.class},
                (proxy, method, arguments) -> {
                  if (method.getName().equals("close")) {
                    return null;
                  }
                  try {
                    return method.invoke(connection, arguments);
                  } catch (InvocationTargetException e) {
                    throw e.getCause();
                  }
                });
    DataSource source = mock();
    when(source.getConnection()).thenReturn(shared);
    when(source.getConnection(any(), any())).thenReturn(shared);
    return source;
  }
}
