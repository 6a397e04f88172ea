package dev.warmshelf.shelf;

/**
 * Whether mending an answer is worth it: whether what it takes, be it in vain, has of late been
 * less than the loads that it has spared. Means that forget, over the answers of one form of
 * question; each time that mending is left out both are moved a little, so that it is tried again:
 * what the trials take stays a few hundredths of what loads take.
 *
 * <p>Thread-safe; an update that is lost to another costs a slightly other mean.
 */
final class MendingWorth {
  private static final int WEIGHT = 16;
  private static final int LOWERED = 256;
  private static final int RAISED = 1_024;

  private final long leastNanos;

  /** What it takes, waiting for the feed included. */
  private volatile long meanNanos;

  /** How often it has spared a load, from 0 to 1. */
  private volatile double spares = 1;

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
    double share = spares;
    boolean worth = leastNanos == 0 || share * loadNanos >= mean;
    if (!worth) {
      meanNanos = mean - mean / LOWERED;
      spares = share + (1 - share) / RAISED;
    }
    return worth;
  }

  /** Mending was tried, took so long, and has spared a load or not. */
  void took(long nanos, boolean hasSpared) {
    long mean = meanNanos;
    meanNanos = mean == 0 ? nanos : mean + (nanos - mean) / WEIGHT;
    double share = spares;
    spares = share + ((hasSpared ? 1 : 0) - share) / WEIGHT;
  }
}
