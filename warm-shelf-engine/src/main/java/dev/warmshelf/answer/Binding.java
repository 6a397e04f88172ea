package dev.warmshelf.answer;

import dev.warmshelf.key.ValueType;
import dev.warmshelf.statement.AnalysedText;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.sql.Types;
import java.time.Instant;
import java.time.ZoneOffset;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import org.jspecify.annotations.Nullable;

/** Hands parameter values to a driver. */
public final class Binding {
  /** Numbers that a list may mix: the widest of them is what all become. */
  private static final List<Class<?>> WHOLE =
      List.of(Short.class, Integer.class, Long.class, BigDecimal.class);

  private static final List<Class<?>> FLOATING = List.of(Float.class, Double.class);

  private Binding() {}

  /**
   * The types that values are bound as, as SQL names them; what the place decides is {@link
   * AnalysedText#UNKNOWN}.
   */
  public static List<String> typesOf(@Nullable Object[] values) {
    List<String> types = new ArrayList<>(values.length);
    for (Object value : values) {
      types.add(typeOf(value));
    }
    return types;
  }

  /** The type that a value is bound as. */
  public static String typeOf(@Nullable Object given) {
    Object value = plain(given);
    if (value instanceof List<?> list) {
      Class<?> common = common(list);
      String type = sqlName(common);
      return type == null ? AnalysedText.UNKNOWN_LIST : type + "[]";
    } else if (value instanceof String) {
      return "varchar"; // what the driver says of strings
    }
    String type = value == null ? null : sqlName(value.getClass());
    return type == null ? AnalysedText.UNKNOWN : type;
  }

  /**
   * @param order for each question mark of the statement, the index of its value
   * @throws SQLException if the database could not be asked
   */
  public static void bind(PreparedStatement statement, @Nullable Object[] values, int[] order)
      throws SQLException {
    for (int i = 0; i < order.length; i++) {
      bind(statement, i + 1, values[order[i]]);
    }
  }

  /**
   * Binds one of them.
   *
   * @param at from 1
   * @throws SQLException if the driver does not take it
   */
  public static void bind(PreparedStatement statement, int at, @Nullable Object given)
      throws SQLException {
    Object value = plain(given);
    if (value == null) {
      statement.setNull(at, Types.NULL);
    } else if (value instanceof Enum<?> constant) {
      statement.setObject(at, constant.name(), Types.OTHER); // of a type that the place decides
    } else if (value instanceof byte[] raw) {
      statement.setBytes(at, raw);
    } else if (value instanceof List<?> list) {
      bindList(statement, at, list);
    } else {
      statement.setObject(at, value);
    }
  }

  private static @Nullable String sqlName(@Nullable Class<?> javaType) {
    ValueType type = javaType == null ? null : ValueType.of(javaType);
    return type == null ? null : type.sqlName();
  }

  /** The value as one of the classes that the driver knows. */
  private static @Nullable Object plain(@Nullable Object value) {
    if (value instanceof Instant instant) {
      return instant.atOffset(ZoneOffset.UTC);
    } else if (value instanceof ZonedDateTime moment) {
      return moment.toOffsetDateTime();
    } else if (value instanceof BigInteger whole) {
      return new BigDecimal(whole);
    } else if (value instanceof Byte small) {
      return small.shortValue();
    }
    return value;
  }

  /**
   * A list as an array. Where its elements do not tell of what, as in an empty one, it is sent as
   * text of a type that the place decides.
   */
  private static void bindList(PreparedStatement statement, int at, List<?> list)
      throws SQLException {
    @Nullable Object[] elements = new @Nullable Object[list.size()];
    for (int i = 0; i < elements.length; i++) {
      elements[i] = plain(list.get(i));
    }
    Class<?> common = common(list);
    String type = sqlName(common);
    if (type == null || common == null) {
      statement.setObject(at, asText(elements), Types.OTHER);
      return;
    }
    for (int i = 0; i < elements.length; i++) {
      elements[i] = widened(elements[i], common);
    }
    statement.setArray(at, statement.getConnection().createArrayOf(type, elements));
  }

  /** The class that holds all elements; null if there is none, or none is known. */
  private static @Nullable Class<?> common(List<?> list) {
    Class<?> common = null;
    for (Object given : list) {
      Object element = plain(given);
      if (element != null) {
        common = common == null ? element.getClass() : wider(common, element.getClass());
        if (common == null) {
          return null;
        }
      }
    }
    return common;
  }

  /** The class that holds the values of both, or null. */
  private static @Nullable Class<?> wider(Class<?> one, Class<?> other) {
    if (one == other) {
      return one;
    } else if (WHOLE.contains(one) && WHOLE.contains(other)) {
      return WHOLE.get(Math.max(WHOLE.indexOf(one), WHOLE.indexOf(other)));
    }
    return FLOATING.contains(one) && FLOATING.contains(other) ? Double.class : null;
  }

  private static @Nullable Object widened(@Nullable Object value, @Nullable Class<?> to) {
    if (value instanceof Number number && to == Long.class) {
      return number.longValue();
    } else if (value instanceof Number number && to == Integer.class) {
      return number.intValue();
    } else if (value instanceof Number number && to == Double.class) {
      return number.doubleValue();
    } else if (to == BigDecimal.class && value != null && !(value instanceof BigDecimal)) {
      return new BigDecimal(value.toString());
    }
    if (value instanceof byte[] bytes) {
      return "\\x" + HexFormat.of().formatHex(bytes);
    }
    return value != null && value.getClass().getName().startsWith("java.time.")
        ? value.toString() // as ISO 8601 writes it, which the server reads
        : value;
  }

  /** An array's text (PostgreSQL manual, 8.15.2), each element in double quotes. */
  private static String asText(@Nullable Object[] elements) {
    StringBuilder text = new StringBuilder("{");
    for (Object element : elements) {
      text.append(text.length() > 1 ? "," : "");
      if (element == null) {
        text.append("NULL");
      } else if (element instanceof List<?> nested) {
        text.append(asText(nested.toArray()));
      } else {
        String plain = element instanceof Enum<?> e ? e.name() : String.valueOf(plain(element));
        text.append('"').append(plain.replace("\\", "\\\\").replace("\"", "\\\"")).append('"');
      }
    }
    return text.append('}').toString();
  }
}
