package dev.warmshelf.door;

import java.io.IOException;
import java.io.InputStream;
import java.io.Reader;
import java.io.StringWriter;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.sql.Array;
import java.sql.Blob;
import java.sql.Clob;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.sql.SQLWarning;
import java.sql.SQLXML;
import java.sql.Savepoint;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.List;
import java.util.Objects;

/** Makes the same calls on a JDBC object of the driver's and on one of ours, and compares. */
final class Lockstep {
  /** What was done before, for whoever looks for the cause of a difference. */
  private final List<String> history = new ArrayList<>();

  private long calls;
  private long kept;

  /** An object of the driver's and the one of ours that stands for the same. */
  record Pair(Class<?> type, Object plain, Object ours, String name) {}

  long calls() {
    return calls;
  }

  /** How many executions a shelf has answered. */
  long kept() {
    return kept;
  }

  void note(String what) {
    history.add(what);
  }

  /** Calls a method on both. A result that has methods itself is a pair again. */
  Object call(Pair pair, String name, Class<?>[] types, Object... arguments) {
    try {
      return call(pair, pair.type().getMethod(name, types), arguments);
    } catch (NoSuchMethodException e) {
      throw new AssertionError(e);
    }
  }

  Object call(Pair pair, Method method, Object... arguments) {
    calls++;
    note(pair.name() + ": " + method.getName() + Arrays.deepToString(arguments));
    Object plain = outcome(method, pair.plain(), side(arguments, true));
    Object ours = outcome(method, pair.ours(), side(arguments, false));
    Class<?> type = type(plain);
    if (type != null && type == type(ours)) {
      kept += ours instanceof KeptResultSet ? 1 : 0;
      String name = pair.name() + "/" + calls;
      note(name + " is what it gave; ours is a " + ours.getClass().getSimpleName());
      return new Pair(type, plain, ours, name);
    }
    Object one = comparable(plain);
    Object other = comparable(ours);
    // In a transaction that has failed the driver cannot ask what ours knows already.
    boolean knowsMore = pair.type().getName().contains("Result") && "SQLSTATE 25P02".equals(one);
    if (!Objects.equals(one, other) && !knowsMore) {
      throw new AssertionError(
          "The driver gives "
              + one
              + ", and ours "
              + other
              + ". What was done:\n"
              + lately(pair.name()),
          ours instanceof Throwable thrown ? thrown : null);
    }
    return one;
  }

  /** What was done lately with an object, with what it was made by, and with everything. */
  private String lately(String name) {
    List<String> shown = new ArrayList<>();
    String connection = name.replaceAll("/.*", "");
    for (int i = 0; i < history.size(); i++) {
      String line = history.get(i);
      int end = line.indexOf(':');
      String on = end < 0 ? line : line.substring(0, end);
      boolean itsOwn = (name + "/").startsWith(on + "/") && !on.equals(connection);
      boolean ofAll = on.equals(connection) && !line.contains("Statement[");
      if (i > history.size() - 12 || itsOwn || ofAll || line.startsWith(name)) {
        shown.add(line);
      }
    }
    return String.join("\n", shown.subList(Math.max(0, shown.size() - 40), shown.size()));
  }

  private static Object[] side(Object[] arguments, boolean plain) {
    Object[] own = arguments.clone();
    for (int i = 0; i < own.length; i++) {
      if (own[i] instanceof Pair pair) {
        own[i] = plain ? pair.plain() : pair.ours();
      }
    }
    return own;
  }

  private static Object outcome(Method method, Object on, Object[] arguments) {
    try {
      return method.invoke(on, arguments);
    } catch (InvocationTargetException e) {
      return e.getCause();
    } catch (IllegalAccessException e) {
      throw new AssertionError(e);
    }
  }

  private static Class<?> type(Object value) {
    for (Class<?> type :
        List.of(
            ResultSet.class,
            ResultSetMetaData.class,
            Statement.class,
            Connection.class,
            Savepoint.class)) {
      if (type.isInstance(value)) {
        return value instanceof java.sql.PreparedStatement
            ? java.sql.PreparedStatement.class
            : type;
      }
    }
    return null;
  }

  private static Object comparable(Object value) {
    try {
      if (value instanceof SQLException e && !(value instanceof SQLWarning)) {
        return "SQLSTATE " + e.getSQLState();
      } else if (value instanceof Throwable e) {
        return e instanceof SQLWarning ? e.getMessage() : e.getClass();
      } else if (value instanceof byte[] bytes) {
        return HexFormat.of().formatHex(bytes);
      } else if (value instanceof InputStream stream) {
        return HexFormat.of().formatHex(stream.readAllBytes());
      } else if (value instanceof Reader reader) {
        StringWriter out = new StringWriter();
        reader.transferTo(out);
        return out.toString();
      } else if (value instanceof Array array) {
        return array.getBaseTypeName() + Arrays.deepToString((Object[]) array.getArray());
      } else if (value instanceof SQLXML xml) {
        return xml.getString();
      } else if (value instanceof Clob || value instanceof Blob) {
        return value instanceof Clob
            ? Clob.class
            : Blob.class; // of a large object that there is not
      } else if (value instanceof Object[] all) {
        return Arrays.deepToString(all);
      } else if (value instanceof int[] all) {
        return Arrays.toString(all);
      }
      return value instanceof Class<?> || value == null ? value : value.getClass() + " " + value;
    } catch (SQLException e) {
      return "SQLSTATE " + e.getSQLState();
    } catch (IOException e) {
      throw new AssertionError(e);
    }
  }
}
