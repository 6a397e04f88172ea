package dev.warmshelf.shelf;

import dev.warmshelf.base.Durations;
import java.time.Duration;

/**
 * Whether answers that are out of date may be served on purpose, for how long, and when they are
 * loaded again. Their age counts from the first change that they miss: an answer that misses none
 * is not old. An idea of RFC 5861, with a bound in change time.
 *
 * <p>Whatever was cleared, by key, tag, table, shelf or a change of the schema, is never served
 * again; nor is what has expired.
 *
 * @param whileLoading an old answer may be served that misses no change older than this; zero for
 *     none
 * @param loadFrom a new one is loaded in the background, once the old one misses a change older
 *     than this
 * @param whenFailing if the database fails to answer, an old one may be served that misses no
 *     change older than this; zero for none
 */
public record OldAnswers(Duration whileLoading, Duration loadFrom, Duration whenFailing) {
  private static final OldAnswers NONE =
      new OldAnswers(Duration.ZERO, Duration.ZERO, Duration.ZERO);

  /**
   * Durations of zero or longer.
   *
   * @throws IllegalArgumentException if one is negative, or loading begins after the old answer's
   *     time is over
   */
  public OldAnswers {
    if (whileLoading.isNegative() || loadFrom.isNegative() || whenFailing.isNegative()) {
      throw new IllegalArgumentException(
          "How old an answer may be cannot be negative, but is one of "
              + whileLoading
              + ", "
              + loadFrom
              + " and "
              + whenFailing
              + ".");
    } else if (loadFrom.compareTo(whileLoading) > 0) {
      throw new IllegalArgumentException(
          "A new answer must be loaded while the old one may be served: for "
              + whileLoading
              + ", but loading begins after "
              + loadFrom
              + ".");
    }
  }

  /** None are served. The default. */
  public static OldAnswers none() {
    return NONE;
  }

  /**
   * Served while a new one is loaded, which begins with the first caller who finds it out of date.
   *
   * @param bound the oldest change that may be missing
   * @throws IllegalArgumentException if it is negative
   */
  public static OldAnswers whileLoading(Duration bound) {
    return new OldAnswers(bound, Duration.ZERO, Duration.ZERO);
  }

  /**
   * Served without loading until a change is missing that is half as old as may be, and then while
   * a new one is loaded: answers that change all the time are loaded once in that time.
   *
   * @param bound the oldest change that may be missing
   * @throws IllegalArgumentException if it is negative
   */
  public static OldAnswers within(Duration bound) {
    return new OldAnswers(bound, bound.dividedBy(2), Duration.ZERO);
  }

  /**
   * And served if the database fails.
   *
   * @param bound the oldest change that may be missing then
   * @throws IllegalArgumentException if it is negative
   */
  public OldAnswers orWhenFailing(Duration bound) {
    return new OldAnswers(whileLoading, loadFrom, bound);
  }

  /** How long after its first missed change an answer is of use to somebody. */
  long longestNanos() {
    return Math.max(whileLoadingNanos(), whenFailingNanos());
  }

  long whileLoadingNanos() {
    return Durations.saturatedNanos(whileLoading);
  }

  long loadFromNanos() {
    return Durations.saturatedNanos(loadFrom);
  }

  long whenFailingNanos() {
    return Durations.saturatedNanos(whenFailing);
  }
}
