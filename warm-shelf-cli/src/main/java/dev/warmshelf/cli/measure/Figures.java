package dev.warmshelf.cli.measure;

import java.time.Duration;
import java.util.Map;
import java.util.OptionalDouble;
import java.util.OptionalLong;
import org.HdrHistogram.Histogram;

/**
 * What was measured of one way to read.
 *
 * @param latency of each read, in nanoseconds
 * @param time how long the way ran
 * @param hitRatio hits per lookup; empty where nothing is kept
 * @param ownDatabaseReads reads that reached the database, by our count
 * @param countedDatabaseReads the same by the database's count; empty if it does not count
 * @param late stale reads whose entry was put out later on
 * @param never stale reads whose entry nothing would have put out: each one a defect
 * @param staleness how old the stale reads were, in nanoseconds
 * @param queries the same query by query
 */
public record Figures(
    String way,
    Histogram latency,
    Duration time,
    OptionalDouble hitRatio,
    long ownDatabaseReads,
    OptionalLong countedDatabaseReads,
    long late,
    long never,
    Histogram staleness,
    Map<String, QueryFigures> queries) {

  public long reads() {
    return latency.getTotalCount();
  }

  public double readsPerSecond() {
    return reads() / (time.toNanos() / 1e9);
  }

  public long stale() {
    return late + never;
  }

  /** Whether the database's count and ours are the same; true where it does not count. */
  public boolean countsAgree() {
    return countedDatabaseReads.isEmpty() || countedDatabaseReads.getAsLong() == ownDatabaseReads;
  }
}
