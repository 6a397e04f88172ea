package dev.warmshelf.shelf;

/**
 * Whether mending an answer is worth it: whether it has of late taken less time than the answer's
 * load, waiting for the feed included. A mean that forgets, over the answers of a shelf; each time
 * that mending is left out it is lowered a little, so that it is tried again.
 *
 * <p>Thread-safe; an update that is lost to another costs a slightly other mean.
 */
final class MendingWorth {
  private static final int WEIGHT = 16;
  private static final int LOWERED = 256;

  private final long leastNanos;
  private volatile long meanNanos;

  /**
   * @param leastNanos what loads sooner is never mended; at 0 all is, whatever it takes
   */
  MendingWorth(long leastNanos) {
    this.leastNanos = leastNanos;
  }

  /** Whether to mend an answer whose load took so long. */
  boolean isWorth(long loadNanos) {
    if (loadNanos < leastNanos) {
      return false;
    }
    long mean = meanNanos;
    boolean worth = leastNanos == 0 || loadNanos >= mean;
    if (!worth) {
      meanNanos = mean - mean / LOWERED;
    }
    return worth;
  }

  /** Mending was tried, and took so long, whether or not anything came of it. */
  void took(long nanos) {
    long mean = meanNanos;
    meanNanos = mean == 0 ? nanos : mean + (nanos - mean) / WEIGHT;
  }
}
