package dev.warmshelf.shelf;

import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * Whether answers that are out of date may be served on purpose, for how long, and when they are
 * loaded again. Their age counts from the first change that they miss: an answer that misses none
 * is not old. An idea of RFC 5861, with a bound in change time.
 *
 * <p>Whatever was cleared, by key, tag, table, shelf or a change of the schema, is never served
 * again; nor is what has expired.
 */
public final class OldAnswers extends Terms {
  private static final OldAnswers NONE =
      new OldAnswers(Duration.ZERO, Duration.ZERO, Duration.ZERO);

  private final Duration whileLoading;
  private final Duration loadFrom;
  private final Duration whenFailing;

  private OldAnswers(Duration whileLoading, Duration loadFrom, Duration whenFailing) {
    if (whileLoading.isNegative() || loadFrom.isNegative() || whenFailing.isNegative()) {
      throw new IllegalArgumentException(
          "How old an answer may be cannot be negative, but is one of "
              + whileLoading
              + ", "
              + loadFrom
              + " and "
              + whenFailing
              + ".");
    }
    this.whileLoading = whileLoading;
    this.loadFrom = loadFrom;
    this.whenFailing = whenFailing;
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

  /** An old answer may be served that misses no change older than this; zero for none. */
  public Duration whileLoading() {
    return whileLoading;
  }

  /** A new one is loaded in the background, once the old one misses a change older than this. */
  public Duration loadFrom() {
    return loadFrom;
  }

  /**
   * If the database fails to answer, an old one may be served that misses no change older than
   * this; zero for none.
   */
  public Duration whenFailing() {
    return whenFailing;
  }

  @Override
  List<@Nullable Object> terms() {
    return Arrays.asList(whileLoading, loadFrom, whenFailing);
  }
}
