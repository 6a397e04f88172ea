package dev.warmshelf.postgres.driver;

import dev.warmshelf.answer.ValueBytes;
import java.io.DataOutputStream;
import java.io.IOException;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.lang.reflect.Proxy;
import java.nio.ByteBuffer;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.Stream;
import org.jspecify.annotations.Nullable;
import org.postgresql.PGResultSetMetaData;

/**
 * All that the driver's metadata say of a result's columns, asked once: some of it only the server
 * knows, and later there may be no connection to ask it over.
 */
public final class ColumnFacts {
  private static final Object NO_SUCH = new Object();

  private static final List<Method> STANDARD = ofAColumn(ResultSetMetaData.class);
  private static final List<Method> DRIVERS = ofAColumn(PGResultSetMetaData.class);

  /** Methods that fail for a column that is not there, whatever the others: to ask takes long. */
  private static final Set<Method> MINDING = ConcurrentHashMap.newKeySet();

  private final int count;
  private final Map<Method, @Nullable Object[]> answers = new HashMap<>();
  private final ResultSetMetaData shown;

  private ColumnFacts(int count) {
    this.count = count;
    this.shown =
        (ResultSetMetaData)
            Proxy.newProxyInstance(
                ColumnFacts.class.getClassLoader(),
                new Class<?>[] {ResultSetMetaData.class, PGResultSetMetaData.class},
                (proxy, method, arguments) -> answer(proxy, method, arguments));
  }

  static ColumnFacts of(ResultSetMetaData meta) throws SQLException {
    ColumnFacts facts = new ColumnFacts(meta.getColumnCount());
    facts.ask(meta, STANDARD);
    facts.ask(meta.unwrap(PGResultSetMetaData.class), DRIVERS);
    return facts;
  }

  private void ask(Object meta, List<Method> methods) throws SQLException {
    for (Method method : methods) {
      @Nullable Object[] all = new @Nullable Object[count + 1];
      for (int i = 0; i < count; i++) {
        all[i] = ask(meta, method, i + 1);
      }
      all[count] = MINDING.contains(method) ? NO_SUCH : askOfNone(meta, method);
      answers.put(method, all);
    }
  }

  /** Of a column that is not there; some methods do not mind. */
  private @Nullable Object askOfNone(Object meta, Method method) {
    try {
      return ask(meta, method, count + 1);
    } catch (SQLException e) {
      MINDING.add(method);
      return NO_SUCH;
    }
  }

  private static @Nullable Object ask(Object meta, Method method, int column) throws SQLException {
    try {
      return method.invoke(meta, column);
    } catch (InvocationTargetException e) {
      throw e.getCause() instanceof SQLException said ? said : new SQLException(e);
    } catch (IllegalAccessException e) {
      throw new SQLException(e);
    }
  }

  /** Writes them, in one order. */
  void write(DataOutputStream out) throws IOException {
    Map<String, @Nullable Object[]> named = new TreeMap<>();
    answers.forEach((method, said) -> named.put(named(method), said));
    out.writeInt(named.size());
    for (Map.Entry<String, @Nullable Object[]> each : named.entrySet()) {
      ValueBytes.writeText(out, each.getKey());
      for (Object said : each.getValue()) {
        out.writeBoolean(said == NO_SUCH);
        ValueBytes.write(out, said == NO_SUCH ? null : said);
      }
    }
  }

  /**
   * Reads them.
   *
   * @throws IllegalArgumentException if this driver has other ones
   */
  static ColumnFacts readWritten(int count, ByteBuffer in) {
    Map<String, Method> methods = new HashMap<>();
    STANDARD.forEach(method -> methods.put(named(method), method));
    DRIVERS.forEach(method -> methods.put(named(method), method));
    ColumnFacts facts = new ColumnFacts(count);
    int size = ValueBytes.countIn(in, 1);
    for (int i = 0; i < size; i++) {
      Method method = methods.remove(ValueBytes.readText(in));
      if (method == null) {
        throw new IllegalArgumentException("This driver tells something else of columns.");
      }
      @Nullable Object[] said = new @Nullable Object[count + 1];
      for (int j = 0; j <= count; j++) {
        boolean noSuch = in.get() != 0;
        Object value = ValueBytes.read(in);
        said[j] = noSuch ? NO_SUCH : value;
      }
      facts.answers.put(method, said);
    }
    if (!methods.isEmpty()) {
      throw new IllegalArgumentException("This driver tells more of columns.");
    }
    return facts;
  }

  private static String named(Method method) {
    return method.getDeclaringClass().getSimpleName() + "." + method.getName();
  }

  private static List<Method> ofAColumn(Class<?> type) {
    return Stream.of(type.getMethods())
        .filter(method -> List.of(method.getParameterTypes()).equals(List.of(int.class)))
        .toList();
  }

  /** As the driver shows them. */
  public ResultSetMetaData shown() {
    return shown;
  }

  private @Nullable Object answer(
      Object proxy, Method method, @Nullable Object @Nullable [] arguments) throws SQLException {
    @Nullable Object first = arguments == null ? null : arguments[0];
    @Nullable Object[] known = answers.get(method);
    if (known != null && first instanceof Integer column) {
      @Nullable Object said = known[column < 1 || column > count ? count : column - 1];
      if (said == NO_SUCH) {
        throw new SQLException(
            "The column index is out of range: " + column + ", number of columns: " + count + ".",
            SqlState.INVALID_PARAMETER_VALUE.code());
      }
      return said;
    }
    return switch (method.getName()) {
      case "getColumnCount" -> count;
      case "isWrapperFor" -> first instanceof Class<?> type && type.isInstance(proxy);
      case "unwrap" -> {
        if (first instanceof Class<?> type && type.isInstance(proxy)) {
          yield proxy;
        }
        throw new SQLException("Cannot unwrap to " + first);
      }
      case "equals" -> proxy == first;
      case "hashCode" -> System.identityHashCode(proxy);
      default -> "metadata of " + count + " columns";
    };
  }
}
