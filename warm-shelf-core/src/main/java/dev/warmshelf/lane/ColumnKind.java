package dev.warmshelf.lane;

import java.math.BigInteger;
import java.time.LocalDate;
import java.time.format.DateTimeParseException;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * A kind of column by whose values a table's rows can be told apart: two values are equal to the
 * database exactly if they are written alike here, over all that the type holds; but strings, of
 * which those of {@link #LONGEST_TEXT} characters and more may be written alike though they differ.
 * That rules out decimals (1.0 = 1.00), floats, moments, padded and case-insensitive strings.
 *
 * <p>The database's side writes the same text; whoever changes one changes both. It writes values,
 * too, of which nobody here knows what they are called: such a text is equal to itself alone.
 */
public enum ColumnKind {
  /** Two, four or eight bytes wide. */
  INTEGER,
  /** Compared byte by byte. */
  TEXT,
  UUID,
  /** A day without a time. */
  DATE,
  BOOLEAN,
  /** Nobody could be asked. Good for showing what a statement pins, for nothing else. */
  UNKNOWN;

  /** Longer strings are told apart by as many of their characters, as Unicode counts them. */
  public static final int LONGEST_TEXT = 100;

  private static final LocalDate FIRST_DAY = LocalDate.of(1, 1, 1);
  private static final LocalDate LAST_DAY = LocalDate.of(9999, 12, 31);

  /** Some value's text, for those who ask how something is asked for. */
  public String example() {
    return switch (this) {
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
   * of the beginning of a longer string, and of what has no name here, such as an infinite day.
   *
   * @param text as this or the database writes it
   */
  public @Nullable Object value(String text) {
    try {
      Object value = parsed(text);
      return value != null && text.equals(text(value)) ? value : null;
    } catch (IllegalArgumentException | DateTimeParseException e) {
      return null;
    }
  }

  private @Nullable Object parsed(String text) {
    return switch (this) {
      case INTEGER -> Long.valueOf(text);
      case UUID -> java.util.UUID.fromString(text);
      case DATE -> LocalDate.parse(text);
      case BOOLEAN -> Boolean.valueOf(text);
      case TEXT -> text.length() < LONGEST_TEXT ? text : null;
      case UNKNOWN -> null;
    };
  }

  /** A value's text, or null where it is not certain to mean that value and no other. */
  @Nullable String text(Object value) {
    return switch (this) {
      case INTEGER ->
          value instanceof Integer
                  || value instanceof Long
                  || value instanceof Short
                  || value instanceof Byte
                  || value instanceof BigInteger
              ? value.toString()
              : null;
      case TEXT -> value instanceof String string ? beginning(string) : null;
      case UUID -> value instanceof UUID id ? id.toString() : null;
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
