package dev.warmshelf.shelf.read;

/**
 * Whether to try to spare a load, by a second look or by mending, is worth it: whether what the
 * tries take has of late been less than the loads that they have spared. Means that forget, over
 * the answers of one form of question; each time that a try is left out both are moved a little, so
 * that there is one again: what is tried in vain takes a few hundredths of what loads take.
 *
 * <p>Thread-safe; an update that is lost to another costs a slightly other mean.
 */
final class Worth {
  private static final int WEIGHT = 16;
  private static final int LOWERED = 256;
  private static final int RAISED = 1_024;

  private final long leastNanos;

  /** What a try takes, waiting for the feed included. */
  private volatile long meanNanos;

  /** How often it has spared a load, from 0 to 1. */
  private volatile double spares = 1;

  /**
   * @param leastNanos for what loads sooner there is never a try; at 0 there always is
   */
  Worth(long leastNanos) {
    this.leastNanos = leastNanos;
  }

  /** Decides whether to try to spare a load that took so long. */
  boolean tries(long loadNanos) {
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

  /** A try took so long, and has spared the load or not. */
  void took(long nanos, boolean hasSpared) {
    long mean = meanNanos;
    meanNanos = mean == 0 ? nanos : mean + (nanos - mean) / WEIGHT;
    double share = spares;
    spares = share + ((hasSpared ? 1 : 0) - share) / WEIGHT;
  }
}
