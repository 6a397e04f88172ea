package dev.warmshelf.key;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.OffsetTime;
import java.time.ZonedDateTime;
import java.util.Base64;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * A type that parameters and kept values may have: all that is known of it stands in its row here.
 * Beside these there are null, enum constants, which count as their names, and lists and arrays of
 * all these.
 *
 * <p>Memory is estimated for a 64-bit virtual machine with compressed references: an object's
 * header is 12 bytes, a reference 4, and all is rounded up to 8 (JEP 450's text sums up the
 * layout).
 */
@SuppressWarnings("ImmutableEnumChecker") // the readers keep nothing
public enum ValueType {
  /** Characters. */
  TEXT(String.class, "text", null, text -> text, Encoding.TEXT, 0),
  /** True or false. */
  BOOLEAN(Boolean.class, "bool", null, Boolean::valueOf, Encoding.BOOLEAN, 0),
  /** A whole number of eight bits, bound as one of sixteen. */
  BYTE(Byte.class, null, null, Byte::valueOf, Encoding.WHOLE, 16),
  /** A whole number of sixteen bits. */
  SHORT(Short.class, "int2", null, Short::valueOf, Encoding.WHOLE, 16),
  /** A whole number of 32 bits. */
  INTEGER(Integer.class, "int4", null, Integer::valueOf, Encoding.WHOLE, 16),
  /** A whole number of 64 bits. */
  LONG(Long.class, "int8", null, Long::valueOf, Encoding.WHOLE, 24),
  /** A whole number of any size, bound as a decimal. */
  BIG_INTEGER(BigInteger.class, null, "whole", BigInteger::new, Encoding.BIG_WHOLE, 64),
  /** A decimal with its scale. */
  DECIMAL(BigDecimal.class, "numeric", "decimal", BigDecimal::new, Encoding.DECIMAL, 40),
  /** A binary fraction of 32 bits. */
  FLOAT(Float.class, "float4", "float", Float::valueOf, Encoding.FLOAT, 16),
  /** A binary fraction of 64 bits. */
  DOUBLE(Double.class, "float8", "double", Double::valueOf, Encoding.DOUBLE, 24),
  /** A day. */
  DATE(LocalDate.class, "date", "date", LocalDate::parse, Encoding.DATE, 24),
  /** A time of day. */
  TIME(LocalTime.class, "time", "time", LocalTime::parse, Encoding.TIME, 24),
  /** A time of day at an offset. */
  OFFSET_TIME(
      OffsetTime.class, "timetz", "offset-time", OffsetTime::parse, Encoding.OFFSET_TIME, 56),
  /** A day and a time of day. */
  DATE_TIME(
      LocalDateTime.class, "timestamp", "datetime", LocalDateTime::parse, Encoding.DATE_TIME, 72),
  /** A moment, shown at an offset. */
  OFFSET_DATE_TIME(
      OffsetDateTime.class,
      "timestamptz",
      "offset-datetime",
      OffsetDateTime::parse,
      Encoding.MOMENT,
      96),
  /** A moment, shown in a zone; bound at its offset. */
  ZONED_DATE_TIME(
      ZonedDateTime.class, null, "zoned-datetime", ZonedDateTime::parse, Encoding.MOMENT, 104),
  /** A moment; bound at offset zero. */
  INSTANT(Instant.class, null, "instant", Instant::parse, Encoding.MOMENT, 24),
  /** A universally unique identifier. */
  UUID(UUID.class, "uuid", "uuid", java.util.UUID::fromString, Encoding.UUID, 32),
  /** Bytes. */
  BYTES(byte[].class, "bytea", "bytes", Base64.getDecoder()::decode, Encoding.BYTES, 0);

  private static final Map<Class<?>, ValueType> BY_CLASS = new HashMap<>();
  private static final Map<String, ValueType> BY_NAME = new HashMap<>();

  static {
    for (ValueType type : values()) {
      BY_CLASS.put(type.javaType, type);
      if (type.json != null) {
        BY_NAME.put(type.json, type);
      }
    }
  }

  private static final int LIST_BYTES = 40;

  /** A decimal of so many digits holds them as a long; with more it has an object for them. */
  private static final int DIGITS_OF_A_LONG = 18;

  private final Class<?> javaType;
  private final @Nullable String sql;
  private final @Nullable String json;
  private final Function<String, Object> reader;
  private final Encoding encoding;
  private final int bytes;

  ValueType(
      Class<?> javaType,
      @Nullable String sql,
      @Nullable String json,
      Function<String, Object> reader,
      Encoding encoding,
      int bytes) {
    this.javaType = javaType;
    this.sql = sql;
    this.json = json;
    this.reader = reader;
    this.encoding = encoding;
    this.bytes = bytes;
  }

  /** The type of a value of this class; null if it has none of its own. */
  public static @Nullable ValueType of(Class<?> javaType) {
    if (javaType == String.class) { // the usual ones, without a lookup
      return TEXT;
    } else if (javaType == Integer.class) {
      return INTEGER;
    } else if (javaType == Long.class) {
      return LONG;
    }
    return javaType == LocalDate.class ? DATE : BY_CLASS.get(javaType);
  }

  /** The type that JSON calls so; null if there is none. */
  public static @Nullable ValueType named(String json) {
    return BY_NAME.get(json);
  }

  /** Its class. */
  public Class<?> javaType() {
    return javaType;
  }

  /** What SQL calls it, also as an array's element; null if it is bound as another type. */
  public @Nullable String sqlName() {
    return sql;
  }

  /** What JSON calls it; null if JSON has it by itself. */
  public @Nullable String jsonName() {
    return json;
  }

  /** A value as a text that {@link #parse} reads. */
  public String write(Object value) {
    return value instanceof byte[] raw ? Base64.getEncoder().encodeToString(raw) : value.toString();
  }

  /**
   * A value from its text.
   *
   * @throws RuntimeException if the text is none of this type
   */
  public Object parse(String text) {
    return reader.apply(text);
  }

  /** Its bytes in keys. */
  Encoding encoding() {
    return encoding;
  }

  /**
   * About how many bytes a value takes in memory; null, booleans and what is unknown are shared.
   */
  public static long bytesOf(@Nullable Object value) {
    if (value == null) {
      return 0;
    } else if (value instanceof String text) {
      return 24 + rounded(16L + bytesOfCharacters(text));
    } else if (value instanceof byte[] raw) {
      return rounded(16L + raw.length);
    } else if (value instanceof BigDecimal decimal && decimal.precision() > DIGITS_OF_A_LONG) {
      return (long) DECIMAL.bytes + BIG_INTEGER.bytes;
    } else if (value instanceof List<?> list) {
      return LIST_BYTES + list.stream().mapToLong(element -> 4 + bytesOf(element)).sum();
    }
    ValueType type = of(value.getClass());
    return type == null ? 16 : type.bytes;
  }

  /** One byte each, or two if one of them is beyond Latin-1 (JEP 254). */
  private static long bytesOfCharacters(String text) {
    int length = text.length();
    for (int i = 0; i < length; i++) {
      if (text.charAt(i) > 0xff) {
        return 2L * length;
      }
    }
    return length;
  }

  /** To the size that an object of so many bytes takes. */
  public static long rounded(long size) {
    return (size + 7) & ~7L;
  }
}
