package dev.warmshelf.cli.measure;

import dev.warmshelf.meter.Meters;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import org.HdrHistogram.Histogram;

/**
 * What was measured of one way to read, without its warm-up.
 *
 * @param latency of each read, in nanoseconds; in an open loop from when it should have begun
 * @param time how long the way ran
 * @param hits reads that were answered from the shelf
 * @param lookups reads that consulted it; 0 where nothing is kept
 * @param ownDatabaseReads reads that reached the database, by our count
 * @param work what the database did for them, by its own count; empty if it does not count
 * @param late stale reads whose entry was put out later on
 * @param never stale reads whose entry nothing would have put out: each one a defect
 * @param staleness how old the stale reads were, in nanoseconds
 * @param lags how long after each commit had returned the way's feed had told of it, in
 *     nanoseconds; nothing where no feed is followed
 * @param notAsked requests of an open loop that had not begun when their round was given up; each
 *     is in {@code latency} with the time it had waited
 * @param queries the same query by query
 * @param slices the same round by round
 * @param meters the shelf's own counts; empty where nothing is kept
 */
public record Figures(
    String way,
    Histogram latency,
    Duration time,
    long hits,
    long lookups,
    long ownDatabaseReads,
    Optional<DatabaseWork.Done> work,
    long late,
    long never,
    Histogram staleness,
    Histogram lags,
    long notAsked,
    Map<String, QueryFigures> queries,
    List<Slice> slices,
    Optional<Meters.Snapshot> meters) {

  /**
   * One round.
   *
   * @param beganSeconds since the run began
   * @param seconds how long it lasted
   */
  public record Slice(
      double beganSeconds, double seconds, long reads, long hits, long lookups, long invalidated) {}

  public long reads() {
    return latency.getTotalCount() - notAsked;
  }

  public double readsPerSecond() {
    return perSecond(reads());
  }

  /** Hits per lookup; empty where nothing is kept. */
  public OptionalDouble hitRatio() {
    return lookups == 0 ? OptionalDouble.empty() : OptionalDouble.of((double) hits / lookups);
  }

  public double databaseReadsPerSecond() {
    return perSecond(ownDatabaseReads);
  }

  /** How much longer the hits would have taken as loads, in nanoseconds. */
  public long savedNanos() {
    return queries.values().stream().mapToLong(QueryFigures::savedNanos).sum();
  }

  /** About how many bytes the way held at the end. */
  public long bytesHeld() {
    return queries.values().stream().mapToLong(query -> query.held().bytes()).sum();
  }

  public long stale() {
    return late + never;
  }

  /** Whether the database's count and ours are the same; true where it does not count. */
  public boolean countsAgree() {
    return work.isEmpty() || work.get().calls() == ownDatabaseReads;
  }

  /** 0 where the run ended before the way's first round. */
  private double perSecond(long count) {
    return time.isZero() ? 0 : count / (time.toNanos() / 1e9);
  }
}
