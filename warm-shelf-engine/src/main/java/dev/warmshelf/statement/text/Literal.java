package dev.warmshelf.statement.text;

import java.math.BigDecimal;
import java.time.DateTimeException;
import java.time.LocalDate;
import org.jspecify.annotations.Nullable;

/**
 * Constants of a statement's text as values. What is not certain is null, and stays in the text.
 */
final class Literal {
  private Literal() {}

  /** A number in plain digits; null if it is written in another way or is too long. */
  static @Nullable Object number(String text, boolean negative) {
    if (text.matches("\\d{1,18}")) {
      return negative ? -Long.parseLong(text) : Long.parseLong(text);
    } else if (text.matches("\\d{1,40}\\.\\d{1,40}")) {
      return negative ? new BigDecimal(text).negate() : new BigDecimal(text);
    }
    return null;
  }

  /** The day of a literal such as {@code '2026-05-01'}; null if it is written in another way. */
  static @Nullable Object date(String literal) {
    try {
      return literal.matches("'\\d{4}-\\d{2}-\\d{2}'")
          ? LocalDate.parse(literal.substring(1, literal.length() - 1))
          : null;
    } catch (DateTimeException e) {
      return null; // no such day: the database will say so
    }
  }

  /**
   * A plain string. One that ends in a blank stays in the text: compared with a {@code char(n)}
   * column, a constant loses such blanks and a parameter does not.
   */
  static @Nullable Object string(String literal) {
    if (!literal.startsWith("'") || literal.endsWith(" '")) {
      return null;
    }
    String content = literal.substring(1, literal.length() - 1).replace("''", "'");
    for (int i = 0; i < content.length(); i++) {
      if (content.charAt(i) < ' ' || Character.isSurrogate(content.charAt(i))) {
        return null;
      }
    }
    return content;
  }
}
