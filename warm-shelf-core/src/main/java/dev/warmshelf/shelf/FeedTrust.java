package dev.warmshelf.shelf;

import dev.warmshelf.base.Durations;
import java.time.Duration;
import java.util.Objects;

/**
 * How far a shelf trusts its feed.
 *
 * @param tolerance how far the feed's watermark may lag behind before the feed counts as lost
 * @param whenLost what to do then
 */
public record FeedTrust(Duration tolerance, WhenLost whenLost) {
  /**
   * A tolerance longer than zero.
   *
   * @throws IllegalArgumentException if it is not
   */
  public FeedTrust {
    Durations.requirePositive("tolerance", tolerance);
    Objects.requireNonNull(whenLost, "whenLost");
  }

  long toleranceNanos() {
    return Durations.saturatedNanos(tolerance);
  }

  long lossBoundNanos() {
    return Durations.saturatedNanos(whenLost.bound());
  }
}
