package dev.warmshelf.lane;

import java.math.BigInteger;
import java.time.LocalDate;
import java.time.format.DateTimeParseException;
import java.util.Map;
import java.util.Objects;
import java.util.function.UnaryOperator;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.jspecify.annotations.Nullable;

/**
 * A kind of column by whose values a table's rows can be told apart: two values are equal to the
 * database exactly if they are written alike here, over all that the type holds; but strings, of
 * which those of {@link #LONGEST_TEXT} characters and more may be written alike though they differ.
 * That rules out decimals (1.0 = 1.00), floats, moments, padded and case-insensitive strings.
 *
 * <p>The database's side writes the same text; whoever changes one changes both. It writes values,
 * too, of which nobody here knows what they are called: such a text is equal to itself alone.
 *
 * <p>Where values are to be hidden, a digest of the text stands in its place ({@link #hiddenBy}):
 * equal values still look equal, and no digest tells its value.
 *
 * <p>Immutable. Two are equal if they write all values alike.
 */
public final class ColumnKind {
  /** Two, four or eight bytes wide. */
  public static final ColumnKind INTEGER = new ColumnKind(Type.INTEGER, null);

  /** Compared byte by byte. */
  public static final ColumnKind TEXT = new ColumnKind(Type.TEXT, null);

  /** As RFC 9562 writes it. */
  public static final ColumnKind UUID = new ColumnKind(Type.UUID, null);

  /** A day without a time. */
  public static final ColumnKind DATE = new ColumnKind(Type.DATE, null);

  /** True or false. */
  public static final ColumnKind BOOLEAN = new ColumnKind(Type.BOOLEAN, null);

  /** Nobody could be asked. Good for showing what a statement pins, for nothing else. */
  public static final ColumnKind UNKNOWN = new ColumnKind(Type.UNKNOWN, null);

  private static final Map<String, ColumnKind> PLAIN =
      Stream.of(INTEGER, TEXT, UUID, DATE, BOOLEAN, UNKNOWN)
          .collect(Collectors.toUnmodifiableMap(ColumnKind::name, kind -> kind));

  /** What a column holds. */
  public enum Type {
    INTEGER,
    TEXT,
    UUID,
    DATE,
    BOOLEAN,
    UNKNOWN
  }

  /** Longer strings are told apart by as many of their characters, as Unicode counts them. */
  public static final int LONGEST_TEXT = 100;

  private static final LocalDate FIRST_DAY = LocalDate.of(1, 1, 1);
  private static final LocalDate LAST_DAY = LocalDate.of(9999, 12, 31);

  private final Type type;
  private final @Nullable UnaryOperator<String> digest;

  private ColumnKind(Type type, @Nullable UnaryOperator<String> digest) {
    this.type = type;
    this.digest = digest;
  }

  /**
   * The kind of this name whose values show.
   *
   * @throws IllegalArgumentException if there is none
   */
  public static ColumnKind valueOf(String name) {
    ColumnKind kind = PLAIN.get(name);
    if (kind == null) {
      throw new IllegalArgumentException("'" + name + "' is no kind of column.");
    }
    return kind;
  }

  /**
   * The same of a column whose values are hidden.
   *
   * @param by makes the digest of a value's text; equal to another if it makes the same of each
   */
  public ColumnKind hiddenBy(UnaryOperator<String> by) {
    return new ColumnKind(type, by);
  }

  /** The same of a column whose values show. */
  public ColumnKind plain() {
    return digest == null ? this : valueOf(type.name());
  }

  /** What the column holds. */
  public Type type() {
    return type;
  }

  /** What makes the digests that stand in the place of its values; null if they show. */
  public @Nullable UnaryOperator<String> digest() {
    return digest;
  }

  /** The name of what it holds. */
  public String name() {
    return type.name();
  }

  @Override
  public boolean equals(@Nullable Object other) {
    return other instanceof ColumnKind that
        && type == that.type
        && Objects.equals(digest, that.digest);
  }

  @Override
  public int hashCode() {
    return Objects.hash(type, digest);
  }

  @Override
  public String toString() {
    return digest != null ? name() + " hidden" : name();
  }

  /** Some value's text, for those who ask how something is asked for. */
  public String example() {
    return switch (type) {
      case INTEGER -> "0";
      case UUID -> "00000000-0000-0000-0000-000000000000";
      case DATE -> "2000-01-01";
      case BOOLEAN -> "true";
      case TEXT, UNKNOWN -> "";
    };
  }

  /**
   * A column and a value as the name of a group, or null where the value is not certain to mean
   * that group and no other.
   */
  public @Nullable String group(String column, Object value) {
    String text = text(value);
    return text == null ? null : column + "=" + text;
  }

  /**
   * The value that a text stands for, to be bound to a parameter; null where that is not certain:
   * of the beginning of a longer string, of what has no name here, such as an infinite day, and of
   * what is hidden.
   *
   * @param text as this or the database writes it
   */
  public @Nullable Object value(String text) {
    if (digest != null) {
      return null;
    }
    try {
      Object value = parsed(text);
      return value != null && text.equals(text(value)) ? value : null;
    } catch (IllegalArgumentException | DateTimeParseException e) {
      return null;
    }
  }

  private @Nullable Object parsed(String text) {
    return switch (type) {
      case INTEGER -> Long.valueOf(text);
      case UUID -> java.util.UUID.fromString(text);
      case DATE -> LocalDate.parse(text);
      case BOOLEAN -> Boolean.valueOf(text);
      case TEXT -> text.length() < LONGEST_TEXT ? text : null;
      case UNKNOWN -> null;
    };
  }

  /** A value's text, or null where it is not certain to mean that value and no other. */
  public @Nullable String text(Object value) {
    String text = plainText(value);
    return text == null || digest == null ? text : digest.apply(text);
  }

  private @Nullable String plainText(Object value) {
    return switch (type) {
      case INTEGER ->
          value instanceof Integer
                  || value instanceof Long
                  || value instanceof Short
                  || value instanceof Byte
                  || value instanceof BigInteger
              ? value.toString()
              : null;
      case TEXT -> value instanceof String string ? beginning(string) : null;
      case UUID -> value instanceof java.util.UUID id ? id.toString() : null;
      case DATE ->
          value instanceof LocalDate day && !day.isBefore(FIRST_DAY) && !day.isAfter(LAST_DAY)
              ? day.toString()
              : null;
      case BOOLEAN -> value instanceof Boolean flag ? flag.toString() : null;
      case UNKNOWN -> null;
    };
  }

  /** The database counts characters, so these are counted, not UTF-16 units. */
  private static String beginning(String string) {
    return string.length() <= LONGEST_TEXT
            || string.codePointCount(0, string.length()) <= LONGEST_TEXT
        ? string
        : string.substring(0, string.offsetByCodePoints(0, LONGEST_TEXT));
  }
}
