package dev.warmshelf.cli.measure;

import dev.warmshelf.shelf.HeldSize;
import dev.warmshelf.shelf.Origin;
import org.HdrHistogram.Histogram;

/**
 * What was measured of one query read in one way. For one thread at a time.
 *
 * <p>Latencies are in nanoseconds, from when the read was begun; a read that joined another's load
 * counts as a miss.
 */
public final class QueryFigures {
  private final Histogram hits = new Histogram(3);
  private final Histogram others = new Histogram(3);
  private long savedNanos;
  private long late;
  private long never;
  private HeldSize held = new HeldSize(0, 0);

  /**
   * @param loadNanos how long the answer took to load, if it was kept
   */
  void add(Origin origin, long nanos, long loadNanos) {
    if (origin == Origin.KEPT) {
      hits.recordValue(nanos);
      savedNanos += loadNanos - nanos;
    } else {
      others.recordValue(nanos);
    }
  }

  /** Adds what was measured elsewhere. */
  public void add(QueryFigures more) {
    hits.add(more.hits);
    others.add(more.others);
    savedNanos += more.savedNanos;
    late += more.late;
    never += more.never;
  }

  void addStale(boolean ticked) {
    late += ticked ? 1 : 0;
    never += ticked ? 0 : 1;
  }

  void holding(HeldSize atTheEnd) {
    held = atTheEnd;
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

  /** Load times of the answers that hits gave, less what the hits took, in nanoseconds. */
  public long savedNanos() {
    return savedNanos;
  }

  /** Stale reads, whether they were put out later on or never. */
  public long stale() {
    return late + never;
  }

  /** Stale reads that nothing would have put out. */
  public long never() {
    return never;
  }

  /** What the way's shelf held of this query at the end. */
  public HeldSize held() {
    return held;
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

  /** Stale reads per read; 0 without reads. */
  public double staleShare() {
    return reads() == 0 ? 0 : (double) stale() / reads();
  }
}
