package dev.warmshelf.shelf;

import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import org.jspecify.annotations.Nullable;

/**
 * What to do with an answer once something that it depends on has changed, before all of it is
 * loaded again.
 */
public final class Renewal extends Terms {
  /** What loads sooner costs less than asking for parts and waiting for the feed. */
  private static final Duration WORTH_MENDING = Duration.ofMillis(5);

  private static final Renewal LOADING = new Renewal(false, null, 0);
  private static final Renewal LOOKING_AGAIN = new Renewal(true, null, 0);
  private static final Renewal MENDING = new Renewal(true, WORTH_MENDING, 0);

  private final boolean looksAgain;
  private final @Nullable Duration mendsFrom;
  private final double aheadShare;

  private Renewal(boolean looksAgain, @Nullable Duration mendsFrom, double aheadShare) {
    if (!(aheadShare >= 0)) {
      throw new IllegalArgumentException("A share cannot be negative, but is " + aheadShare + ".");
    }
    if (mendsFrom != null && (!looksAgain || mendsFrom.isNegative())) {
      throw new IllegalArgumentException(
          "What is mended is looked at first, and took some time to load: " + mendsFrom);
    }
    this.looksAgain = looksAgain;
    this.mendsFrom = mendsFrom;
    this.aheadShare = aheadShare;
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
    return new Renewal(true, Objects.requireNonNull(loadTime, "loadTime"), 0);
  }

  /**
   * The same, but as soon as a change is told that touches an answer which was asked for since it
   * was last renewed, it is renewed in the background, and the next caller finds a hit. Those go
   * first that save the most time. One that is not asked for again is not renewed again.
   *
   * @param secondsPerSecond how many seconds of loading a second this may cost the database, over
   *     all answers of the shelf: more than 0
   * @throws IllegalArgumentException if it is not
   */
  public Renewal ahead(double secondsPerSecond) {
    if (!(secondsPerSecond > 0)) {
      throw new IllegalArgumentException(
          "Renewing ahead needs some of the database's time, but was given "
              + secondsPerSecond
              + " seconds a second.");
    }
    return new Renewal(looksAgain, mendsFrom, secondsPerSecond);
  }

  /** The same, and nothing is renewed before somebody asks. */
  public Renewal notAhead() {
    return new Renewal(looksAgain, mendsFrom, 0);
  }

  /**
   * Whether to look first if the changes can make a difference to the answer, without asking the
   * database.
   */
  public boolean looksAgain() {
    return looksAgain;
  }

  /**
   * How long a load must have taken for its answer to be mended: where it falls into parts, only
   * those are asked for that the changes have touched; empty for never.
   */
  public Optional<Duration> mendsFrom() {
    return Optional.ofNullable(mendsFrom);
  }

  /**
   * How much of the database's time may go into renewing answers before anybody asks for them
   * again, in seconds of loading a second; 0 for not at all.
   */
  public double aheadShare() {
    return aheadShare;
  }

  @Override
  List<@Nullable Object> terms() {
    return Arrays.asList(looksAgain, mendsFrom, aheadShare);
  }
}
