package dev.warmshelf.shelf;

import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import org.jspecify.annotations.Nullable;

/** What a shelf does while its feed is lost. */
public final class WhenLost extends Terms {
  private static final Duration WITHOUT_BOUND = Duration.ofNanos(Long.MAX_VALUE);

  private final Duration bound;

  private WhenLost(Duration bound) {
    if (bound.isNegative()) {
      throw new IllegalArgumentException(
          "A bound on staleness cannot be negative, but is " + bound + ".");
    }
    this.bound = bound;
  }

  /** Nothing is served; the database answers each read. The default. */
  public static WhenLost askDatabase() {
    return new WhenLost(Duration.ZERO);
  }

  /** Kept answers are served as long as their TTL lets them. */
  public static WhenLost serveWithinTtl() {
    return new WhenLost(WITHOUT_BOUND);
  }

  /**
   * Kept answers are served that are certain to be no staler than this: loaded, or covered by the
   * feed's watermark, so long ago at most.
   *
   * @param bound longer than zero
   * @throws IllegalArgumentException if it is not
   */
  public static WhenLost serveWithin(Duration bound) {
    if (bound.isZero()) {
      throw new IllegalArgumentException("A bound of zero serves nothing; say askDatabase().");
    }
    return new WhenLost(bound);
  }

  private boolean asksDatabase() {
    return bound.isZero();
  }

  /** What reads get, in words. */
  public String inWords() {
    if (asksDatabase()) {
      return "the database's answers";
    }
    return bound.equals(WITHOUT_BOUND)
        ? "kept answers within their TTL"
        : "kept answers no older than " + bound.toMillis() + " ms";
  }

  /** How stale an answer may be and still be served: zero for not at all. */
  public Duration bound() {
    return bound;
  }

  @Override
  List<@Nullable Object> terms() {
    return Arrays.asList(bound);
  }
}
