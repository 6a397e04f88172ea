package dev.warmshelf.door;

import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.lang.reflect.Proxy;
import java.sql.Connection;
import java.sql.DatabaseMetaData;
import java.sql.ResultSet;
import java.sql.RowIdLifetime;
import java.sql.SQLException;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import org.jspecify.annotations.Nullable;

/**
 * What the database says of itself. Whether it can do something, what it is called and how much it
 * takes is the same on each connection of a data source, so that it is asked once; some programs
 * ask before each result. All else is asked on the caller's connection.
 */
final class ShelvedMetaData {
  /** What leads nowhere. */
  private static final Set<Class<?>> TOLD =
      Set.of(boolean.class, int.class, long.class, String.class, RowIdLifetime.class);

  private final Map<Method, Object> known = new ConcurrentHashMap<>();

  /** The metadata of a connection, which is not taken until it must be. */
  DatabaseMetaData of(ShelvedConnection connection) {
    return (DatabaseMetaData)
        Proxy.newProxyInstance(
            ShelvedMetaData.class.getClassLoader(),
            new Class<?>[] {DatabaseMetaData.class},
            (proxy, method, arguments) -> answer(connection, proxy, method, arguments));
  }

  private @Nullable Object answer(
      ShelvedConnection connection,
      Object proxy,
      Method method,
      @Nullable Object @Nullable [] arguments)
      throws Throwable {
    if (method.getReturnType() == Connection.class) {
      return connection;
    } else if (method.getDeclaringClass() == Object.class) {
      return ofObject(proxy, method, arguments);
    } else if (!isTheSame(method)) {
      return ask(connection, method, arguments);
    }
    Object before = known.get(method);
    if (before != null) {
      return before;
    }
    Object now = ask(connection, method, arguments);
    if (now != null) {
      known.put(method, now);
    }
    return now;
  }

  /** Whether it is the same on all connections. */
  private static boolean isTheSame(Method method) {
    Class<?> type = method.getReturnType();
    return method.getParameterCount() == 0
        && (type == boolean.class || type == int.class || type == String.class)
        && !method.getName().equals("isReadOnly");
  }

  private static @Nullable Object ofObject(
      Object proxy, Method method, @Nullable Object @Nullable [] arguments) {
    return switch (method.getName()) {
      case "equals" -> arguments != null && proxy == arguments[0];
      case "hashCode" -> System.identityHashCode(proxy);
      default -> "what the database says of itself";
    };
  }

  private static @Nullable Object ask(
      ShelvedConnection connection, Method method, @Nullable Object @Nullable [] arguments)
      throws Throwable {
    boolean reads = method.getReturnType() == ResultSet.class;
    if (reads) {
      connection.readsOtherwise();
    } else if (!TOLD.contains(method.getReturnType())) {
      connection.isHandedOut(); // such as unwrap()
    }
    try {
      Object given = method.invoke(connection.real().getMetaData(), arguments);
      return reads && given != null ? connection.wrapped((ResultSet) given) : given;
    } catch (InvocationTargetException e) {
      throw e.getCause() == null ? new SQLException(e) : e.getCause();
    }
  }
}
