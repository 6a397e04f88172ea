package dev.warmshelf.meter;

import java.util.concurrent.TimeUnit;
import org.HdrHistogram.Histogram;

/**
 * How long something took, each time: a histogram of nanoseconds with three digits, up to an hour;
 * what took longer counts as an hour.
 *
 * <p>Thread-safe, by one lock: who records has just been to the database, or is one in many.
 */
public final class Timings {
  private static final long LONGEST = TimeUnit.HOURS.toNanos(1);
  private static final int DIGITS = 3;

  private final Histogram histogram = new Histogram(LONGEST, DIGITS);
  private long total;

  /** Notes one; below zero counts as zero. */
  public synchronized void record(long nanos) {
    long counted = Math.max(0, Math.min(nanos, LONGEST));
    histogram.recordValue(counted);
    total += counted;
  }

  /** How many there are. */
  public synchronized long count() {
    return histogram.getTotalCount();
  }

  /** All of them together, in nanoseconds. */
  public synchronized long totalNanos() {
    return total;
  }

  /**
   * The time within which so many of a hundred stayed, in nanoseconds; 0 where there are none.
   *
   * @param percentile from 0 to 100
   */
  public synchronized long nanosAt(double percentile) {
    return histogram.getTotalCount() == 0 ? 0 : histogram.getValueAtPercentile(percentile);
  }

  /** The longest, in nanoseconds; 0 where there are none. */
  public synchronized long mostNanos() {
    return histogram.getMaxValue();
  }

  /** These times as they are now. */
  public Timings copy() {
    Timings copy = new Timings();
    synchronized (this) {
      copy.histogram.add(histogram);
      copy.total = total;
    }
    return copy;
  }

  /** Those that came after an earlier copy of the same. */
  public Timings since(Timings earlier) {
    Timings since = copy();
    synchronized (earlier) {
      since.histogram.subtract(earlier.histogram);
      since.total -= earlier.total;
    }
    return since;
  }
}
