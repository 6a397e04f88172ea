package dev.warmshelf.measure.figures;

import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.OptionalDouble;

/**
 * What was measured of one way to read, without its warm-up.
 *
 * @param way which one
 * @param reads what its readers saw
 * @param database what of that reached the database
 * @param staleness which of its reads missed a commit
 * @param kept what the way says of itself
 * @param queries the same query by query
 * @param rounds the same round by round
 */
public record Figures(
    WayKind way,
    Reads reads,
    DatabaseReads database,
    Staleness staleness,
    Kept kept,
    Map<String, QueryFigures> queries,
    List<Round> rounds) {

  /**
   * One round.
   *
   * @param beganSeconds since the run began
   * @param seconds how long it lasted
   * @param reads how many there were
   * @param hits reads that were answered from the shelf
   * @param lookups reads that consulted it
   * @param invalidated entries that were found to be out of date
   */
  public record Round(
      double beganSeconds, double seconds, long reads, long hits, long lookups, long invalidated) {}

  /** How long the way ran. */
  public Duration time() {
    return Duration.ofNanos(
        Math.round(rounds.stream().mapToDouble(Round::seconds).sum() * 1_000_000_000));
  }

  /** Reads a second; 0 where the run ended before the way's first round. */
  public double readsPerSecond() {
    return perSecond(reads.count());
  }

  /** Hits per lookup; empty where nothing is kept. */
  public OptionalDouble hitRatio() {
    return reads.lookups() == 0
        ? OptionalDouble.empty()
        : OptionalDouble.of((double) reads.hits() / reads.lookups());
  }

  /** Reads a second that reached the database; 0 where the way never ran. */
  public double databaseReadsPerSecond() {
    return perSecond(database.ownCount());
  }

  /** How much longer the hits would have taken as loads, in nanoseconds. */
  public long savedNanos() {
    return queries.values().stream().mapToLong(QueryFigures::savedNanos).sum();
  }

  /** About how many bytes the way held at the end. */
  public long bytesHeld() {
    return queries.values().stream().mapToLong(query -> query.held().bytes()).sum();
  }

  private double perSecond(long count) {
    double seconds = rounds.stream().mapToDouble(Round::seconds).sum();
    return seconds == 0 ? 0 : count / seconds;
  }
}
