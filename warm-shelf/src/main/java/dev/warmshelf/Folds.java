package dev.warmshelf;

import dev.warmshelf.shelf.Recipe;
import java.math.BigDecimal;
import java.text.Normalizer;
import java.time.Duration;
import java.time.Instant;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.util.Locale;
import java.util.function.UnaryOperator;
import org.jspecify.annotations.Nullable;

/**
 * Folds for {@link Recipe#folding}. Each leaves values of other types as they are, and null as it
 * is.
 */
public final class Folds {
  private Folds() {}

  /** Strings without blanks at either end ({@link String#strip()}). */
  public static UnaryOperator<@Nullable Object> trimmed() {
    return value -> value instanceof String text ? text.strip() : value;
  }

  /** Strings in lower case, by the rules of no particular language. */
  public static UnaryOperator<@Nullable Object> lowerCase() {
    return value -> value instanceof String text ? text.toLowerCase(Locale.ROOT) : value;
  }

  /** Strings in Unicode's composed form (NFC, Unicode Standard Annex 15). */
  public static UnaryOperator<@Nullable Object> composed() {
    return value ->
        value instanceof String text ? Normalizer.normalize(text, Normalizer.Form.NFC) : value;
  }

  /** Decimals without trailing zeros, so that 1.0 and 1.00 are one. */
  public static UnaryOperator<@Nullable Object> withoutScale() {
    return value -> value instanceof BigDecimal decimal ? decimal.stripTrailingZeros() : value;
  }

  /**
   * Moments rounded down to a multiple of a step since the epoch.
   *
   * @param step longer than zero, in whole milliseconds
   * @throws IllegalArgumentException if it is shorter than a millisecond
   */
  public static UnaryOperator<@Nullable Object> downTo(Duration step) {
    long millis = step.toMillis();
    if (millis <= 0) {
      throw new IllegalArgumentException(
          "The step must be a millisecond or more, but is " + step + ".");
    }
    return value -> {
      if (value instanceof Instant instant) {
        return down(instant, millis);
      } else if (value instanceof OffsetDateTime moment) {
        return down(moment.toInstant(), millis).atOffset(ZoneOffset.UTC);
      }
      return value;
    };
  }

  private static Instant down(Instant instant, long millis) {
    return Instant.ofEpochMilli(Math.floorDiv(instant.toEpochMilli(), millis) * millis);
  }
}
