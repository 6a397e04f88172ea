package dev.warmshelf.base;

import java.time.Duration;

/** Durations as they are reckoned with. */
public final class Durations {
  private Durations() {}

  /** {@link Duration#toNanos()}, or {@link Long#MAX_VALUE} for more than that can say. */
  public static long saturatedNanos(Duration duration) {
    return duration.compareTo(Duration.ofNanos(Long.MAX_VALUE)) >= 0
        ? Long.MAX_VALUE
        : duration.toNanos();
  }

  /**
   * Something of a policy's that takes time.
   *
   * @throws IllegalArgumentException if it is not longer than zero
   */
  public static void requirePositive(String what, Duration duration) {
    if (duration.isNegative() || duration.isZero()) {
      throw new IllegalArgumentException(
          "A policy's " + what + " must be longer than zero, but is " + duration + ".");
    }
  }
}
