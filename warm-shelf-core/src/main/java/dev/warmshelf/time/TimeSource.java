package dev.warmshelf.time;

import java.time.Instant;

/**
 * Where time comes from. TTLs, ages and bounds are measured on the monotonic clock, so a jump of
 * the wall clock moves none of them; the wall clock only shows moments. Tests bring their own.
 *
 * <p>Implementations are thread-safe.
 */
public interface TimeSource {
  /** Nanoseconds on a monotonic clock with an arbitrary origin; compare by difference only. */
  long nanos();

  /**
   * {@link #nanos()} as it was a short while ago, for the hit path, where asking the system would
   * cost more than all the rest. Never ahead of {@link #nanos()}.
   */
  long coarseNanos();

  /** The wall clock. */
  Instant wall();

  /**
   * A moment of the monotonic clock on the wall clock as that goes now. Never later than it was:
   * the wall clock is read first, so what passes between the two readings counts as age.
   */
  default Instant wallAt(long nanos) {
    Instant now = wall();
    return now.minusNanos(nanos() - nanos);
  }
}
