package dev.warmshelf.answer;

import dev.warmshelf.shelf.MappingException;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.OffsetTime;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * A kept value as the type a caller asks for. Nothing is rounded or cut off: it fits or it fails.
 */
final class Conversion {
  private static final Map<Class<?>, Function<Object, @Nullable Object>> TO =
      Map.ofEntries(
          Map.entry(String.class, value -> value.toString()),
          Map.entry(Integer.class, value -> whole(value).intValueExact()),
          Map.entry(Long.class, value -> whole(value).longValueExact()),
          Map.entry(Short.class, value -> whole(value).shortValueExact()),
          Map.entry(BigInteger.class, value -> whole(value).toBigIntegerExact()),
          Map.entry(BigDecimal.class, Conversion::whole),
          Map.entry(Double.class, value -> value instanceof Number n ? n.doubleValue() : null),
          Map.entry(Float.class, value -> value instanceof Float f ? f : null),
          Map.entry(Boolean.class, value -> value instanceof Boolean b ? b : null),
          Map.entry(LocalDate.class, value -> value instanceof LocalDate d ? d : null),
          Map.entry(LocalTime.class, value -> value instanceof LocalTime t ? t : null),
          Map.entry(OffsetTime.class, value -> value instanceof OffsetTime t ? t : null),
          Map.entry(LocalDateTime.class, value -> value instanceof LocalDateTime t ? t : null),
          Map.entry(OffsetDateTime.class, value -> value instanceof OffsetDateTime t ? t : null),
          Map.entry(
              Instant.class, value -> value instanceof OffsetDateTime t ? t.toInstant() : null),
          Map.entry(UUID.class, value -> value instanceof UUID id ? id : null),
          Map.entry(List.class, value -> value instanceof List<?> list ? list : null),
          Map.entry(byte[].class, value -> null));

  private static final Map<Class<?>, Class<?>> BOXED =
      Map.of(
          int.class, Integer.class,
          long.class, Long.class,
          short.class, Short.class,
          double.class, Double.class,
          float.class, Float.class,
          boolean.class, Boolean.class);

  private Conversion() {}

  static void requireKnown(Class<?> type, String where) {
    if (!type.isEnum() && !TO.containsKey(boxed(type))) {
      throw new IllegalArgumentException(
          "The type "
              + type.getName()
              + " of "
              + where
              + " is not one a column can be read as. Expected a string, number, boolean, enum, UUID,"
              + " java.time type, List or byte[].");
    }
  }

  /** Whether a column read as this type gives an object that could be changed, or holds one. */
  static boolean mayHoldBytes(Class<?> type) {
    return type == byte[].class || type == List.class;
  }

  /** The value, if it is of a type that an answer may hold. */
  static @Nullable Object requireImmutable(@Nullable Object value, String where) {
    if (value == null
        || value instanceof String
        || value instanceof Boolean
        || value instanceof java.util.UUID
        || value.getClass().getName().startsWith("java.time.")
        || (value instanceof Number && value.getClass().getName().startsWith("java."))) {
      return value;
    }
    throw new MappingException(
        "The value for "
            + where
            + " is a "
            + value.getClass().getName()
            + ", which could be changed after it is kept; expected a string, number, boolean, UUID"
            + " or java.time value.");
  }

  static @Nullable Object convert(@Nullable Object value, Class<?> type, String where) {
    if (value == null) {
      if (type.isPrimitive()) {
        throw new MappingException(
            "The column for " + where + " is null, which a " + type + " cannot be.");
      }
      return null;
    }
    if (type.isInstance(value)) {
      return Values.own(value);
    }
    Object converted;
    try {
      converted =
          type.isEnum() ? enumConstant(type, value.toString()) : known(boxed(type)).apply(value);
    } catch (ArithmeticException | IllegalArgumentException e) {
      converted = null;
    }
    if (converted == null) {
      throw new MappingException(
          "The value "
              + value
              + " of "
              + where
              + " ("
              + value.getClass().getSimpleName()
              + ") does not fit a "
              + type.getSimpleName()
              + ".");
    }
    return converted;
  }

  private static Function<Object, @Nullable Object> known(Class<?> type) {
    Function<Object, @Nullable Object> conversion = TO.get(type);
    if (conversion == null) {
      throw new IllegalArgumentException("no conversion to " + type);
    }
    return conversion;
  }

  private static Class<?> boxed(Class<?> type) {
    return BOXED.getOrDefault(type, type);
  }

  private static BigDecimal whole(Object value) {
    if (value instanceof BigDecimal decimal) {
      return decimal;
    } else if (value instanceof Integer || value instanceof Long || value instanceof Short) {
      return BigDecimal.valueOf(((Number) value).longValue());
    } else if (value instanceof Number) {
      return new BigDecimal(value.toString());
    }
    throw new IllegalArgumentException("not a number");
  }

  @SuppressWarnings({"unchecked", "rawtypes"})
  private static Object enumConstant(Class<?> type, String name) {
    return Enum.valueOf((Class) type, name);
  }
}
