package dev.warmshelf.shelf;

import java.time.Duration;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * What to do with an answer once something that it depends on has changed, before all of it is
 * loaded again.
 *
 * @param looksAgain whether to look first if the changes can make a difference to the answer,
 *     without asking the database
 * @param mendsFrom how long a load must have taken for its answer to be mended: where it falls into
 *     parts, only those are asked for that the changes have touched; null for never
 */
public record Renewal(boolean looksAgain, @Nullable Duration mendsFrom) {
  /** What loads sooner costs less than asking for parts and waiting for the feed. */
  private static final Duration WORTH_MENDING = Duration.ofMillis(5);

  private static final Renewal LOADING = new Renewal(false, null);
  private static final Renewal LOOKING_AGAIN = new Renewal(true, null);
  private static final Renewal MENDING = new Renewal(true, WORTH_MENDING);

  /**
   * What is mended is looked at first.
   *
   * @throws IllegalArgumentException if it is to be mended without a second look, or the duration
   *     is negative
   */
  public Renewal {
    if (mendsFrom != null && (!looksAgain || mendsFrom.isNegative())) {
      throw new IllegalArgumentException(
          "What is mended is looked at first, and took some time to load: " + mendsFrom);
    }
  }

  /** Load it again. */
  public static Renewal loading() {
    return LOADING;
  }

  /** Look again first. */
  public static Renewal lookingAgain() {
    return LOOKING_AGAIN;
  }

  /** Look again first, and then mend what took 5 milliseconds or more to load. The default. */
  public static Renewal mending() {
    return MENDING;
  }

  /**
   * The same for what took as long as this to load.
   *
   * @throws IllegalArgumentException if it is negative
   */
  public static Renewal mendingFrom(Duration loadTime) {
    return new Renewal(true, Objects.requireNonNull(loadTime, "loadTime"));
  }

  long mendsFromNanos() {
    return mendsFrom == null ? Long.MAX_VALUE : Policy.saturatedNanos(mendsFrom);
  }
}
