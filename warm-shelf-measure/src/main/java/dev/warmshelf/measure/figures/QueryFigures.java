package dev.warmshelf.measure.figures;

import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.read.HeldSize;
import java.io.Serializable;
import org.HdrHistogram.Histogram;

/**
 * What was measured of one query read in one way. For one thread at a time.
 *
 * <p>Latencies are in nanoseconds, from when the read was begun; a read that joined another's load
 * counts as a miss.
 */
public final class QueryFigures implements Serializable {
  private static final long serialVersionUID = 1;

  private final Histogram hits = new Histogram(3);
  private final Histogram others = new Histogram(3);
  private long savedNanos;
  private long revived;
  private long mended;
  private long needless;
  private long shared;
  private long judged;
  private long late;
  private long never;
  private HeldSize held = new HeldSize(0, 0);

  /**
   * Notes a read.
   *
   * @param nanos how long it took
   * @param loadNanos how long the answer took to load, if it was kept
   * @param forNothing whether that load gave what was kept before
   */
  public void add(Origin origin, long nanos, long loadNanos, boolean forNothing) {
    revived += origin == Origin.REVIVED ? 1 : 0;
    mended += origin == Origin.MENDED ? 1 : 0;
    needless += forNothing ? 1 : 0;
    if (origin.isHit()) {
      hits.recordValue(nanos);
      savedNanos += loadNanos - nanos;
    } else {
      others.recordValue(nanos);
    }
    if (origin == Origin.SHARED) {
      shared++;
      savedNanos += loadNanos - nanos;
    }
  }

  /** Adds what was measured elsewhere. */
  public void add(QueryFigures more) {
    hits.add(more.hits);
    others.add(more.others);
    savedNanos += more.savedNanos;
    revived += more.revived;
    mended += more.mended;
    needless += more.needless;
    shared += more.shared;
    judged += more.judged;
    late += more.late;
    never += more.never;
  }

  /** A read whose rows carry versions, so that it is known whether it is stale. */
  public void addJudged() {
    judged++;
  }

  /**
   * @param invalidated whether the stale entry was invalidated later on
   */
  public void addStale(boolean invalidated) {
    late += invalidated ? 1 : 0;
    never += invalidated ? 0 : 1;
  }

  /** What was held at the end. */
  public void holding(HeldSize atTheEnd) {
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

  /** How many reads there were. */
  public long reads() {
    return hits.getTotalCount() + others.getTotalCount();
  }

  /**
   * Load times of the answers that hits gave, or that other processes had loaded, less what these
   * reads took, in nanoseconds.
   */
  public long savedNanos() {
    return savedNanos;
  }

  /** Reads that a second look answered. */
  public long revived() {
    return revived;
  }

  /** Reads for which only what had changed was asked, be it nothing. */
  public long mended() {
    return mended;
  }

  /** Reads that another process's load answered, by way of a store. */
  public long shared() {
    return shared;
  }

  /** Reads whose load gave what was kept before. */
  public long needless() {
    return needless;
  }

  /** Reads whose rows carry versions; only of these it is known whether they are stale. */
  public long judged() {
    return judged;
  }

  /** Stale reads, whether they were invalidated later on or never. */
  public long stale() {
    return late + never;
  }

  /** Stale reads that nothing would have invalidated. */
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

  /** Stale reads per judged read; 0 where none was judged. */
  public double staleShare() {
    return judged == 0 ? 0 : (double) stale() / judged;
  }
}
