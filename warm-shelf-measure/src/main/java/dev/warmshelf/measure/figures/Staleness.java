package dev.warmshelf.measure.figures;

import org.HdrHistogram.Histogram;

/**
 * What is known of the reads of one way that missed a commit. Only a read whose rows carry versions
 * can be judged.
 *
 * @param judged reads whose rows carry versions; of the others nothing is known
 * @param late stale reads whose entry was invalidated later on
 * @param never stale reads whose entry nothing would have invalidated: each one a defect
 * @param ages how old the stale reads were, in nanoseconds
 */
public record Staleness(long judged, long late, long never, Histogram ages) {
  /** Stale reads, whether they were invalidated later on or never. */
  public long stale() {
    return late + never;
  }

  /** Whether any read could be judged. */
  public boolean isMeasured() {
    return judged > 0;
  }
}
