package dev.warmshelf.measure.figures;

import org.HdrHistogram.Histogram;

/**
 * The reads of one way.
 *
 * @param latency of each read, in nanoseconds; in an open loop from when it should have begun
 * @param hits reads that were answered from the shelf
 * @param lookups reads that consulted it; 0 where nothing is kept
 * @param notAsked requests of an open loop that had not begun when their round was given up; each
 *     is in {@code latency} with the time it had waited
 * @param refused requests of a recording that the database refused; counted nowhere else
 */
public record Reads(Histogram latency, long hits, long lookups, long notAsked, long refused) {
  /** How many there were. */
  public long count() {
    return latency.getTotalCount() - notAsked;
  }
}
