package dev.warmshelf.cli.measure;

import dev.warmshelf.shelf.Origin;
import org.HdrHistogram.Histogram;

/**
 * What was measured of one query read in one way. For one thread at a time.
 *
 * <p>Latencies are in nanoseconds; a read that joined another's load counts as a miss.
 */
public final class QueryFigures {
  private final Histogram hits = new Histogram(3);
  private final Histogram others = new Histogram(3);

  void add(Origin origin, long nanos) {
    (origin == Origin.KEPT ? hits : others).recordValue(nanos);
  }

  void add(QueryFigures more) {
    hits.add(more.hits);
    others.add(more.others);
  }

  /** Reads that the shelf answered. */
  public Histogram hits() {
    return hits;
  }

  /** Reads that reached the database, or waited for one that did. */
  public Histogram others() {
    return others;
  }

  public long reads() {
    return hits.getTotalCount() + others.getTotalCount();
  }

  /** The mean of all reads, in nanoseconds; 0 without reads. */
  public double meanNanos() {
    return reads() == 0
        ? 0
        : (hits.getMean() * hits.getTotalCount() + others.getMean() * others.getTotalCount())
            / reads();
  }

  /** Hits per read; 0 without reads. */
  public double hitRatio() {
    return reads() == 0 ? 0 : (double) hits.getTotalCount() / reads();
  }
}
