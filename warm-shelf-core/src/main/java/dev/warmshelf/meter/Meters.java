package dev.warmshelf.meter;

import dev.warmshelf.trial.Wilson;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.Map;
import java.util.concurrent.ThreadLocalRandom;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.LongAdder;
import org.HdrHistogram.Histogram;

/**
 * What one shelf has counted and timed since it was opened.
 *
 * <p>Counters are exact. Loads are all timed. Hits are timed one in {@value #HITS_PER_TIMING},
 * chosen at random: reading the clock twice would cost more than the hit.
 *
 * <p>Thread-safe. {@link #snapshot()} reads the counters one after the other, so counts taken while
 * reads go on may differ by the reads in between.
 */
public final class Meters {
  /** One hit in so many is timed. */
  public static final int HITS_PER_TIMING = 64;

  private static final long LONGEST = TimeUnit.HOURS.toNanos(1);
  private static final int DIGITS = 3;

  private final LongAdder hits = new LongAdder();
  private final LongAdder spared = new LongAdder();
  private final LongAdder misses = new LongAdder();
  private final LongAdder joined = new LongAdder();
  private final LongAdder fills = new LongAdder();
  private final LongAdder loadFailures = new LongAdder();
  private final LongAdder invalidated = new LongAdder();
  private final LongAdder expired = new LongAdder();
  private final LongAdder evicted = new LongAdder();
  private final LongAdder wasted = new LongAdder();
  private final LongAdder outAtBirth = new LongAdder();
  private final LongAdder writtenThrough = new LongAdder();
  private final LongAdder needless = new LongAdder();
  private final Map<Finding, LongAdder> audits = new EnumMap<>(Finding.class);
  private final Map<BypassReason, LongAdder> bypasses = new EnumMap<>(BypassReason.class);
  private final Latency loads = new Latency();
  private final Latency timedHits = new Latency();

  public Meters() {
    for (BypassReason reason : BypassReason.values()) {
      bypasses.put(reason, new LongAdder());
    }
    for (Finding finding : Finding.values()) {
      audits.put(finding, new LongAdder());
    }
  }

  /** Whether the read that begins now should be timed if it becomes a hit. */
  public boolean timesThisHit() {
    return (ThreadLocalRandom.current().nextInt() & (HITS_PER_TIMING - 1)) == 0;
  }

  /**
   * @param loadNanos how long the answer took to load: what the hit has spared
   */
  public void hit(long loadNanos) {
    hits.increment();
    spared.add(loadNanos);
  }

  public void hitTook(long nanos) {
    timedHits.record(nanos);
  }

  public void miss() {
    misses.increment();
  }

  /** A read that another caller's load answered. */
  public void joined() {
    joined.increment();
  }

  public void bypass(BypassReason reason) {
    LongAdder counter = bypasses.get(reason);
    if (counter != null) {
      counter.increment();
    }
  }

  public void loaded(long nanos) {
    loads.record(nanos);
  }

  public void loadFailed() {
    loadFailures.increment();
  }

  public void filled() {
    fills.increment();
  }

  /** An entry found out of date. */
  public void invalidated() {
    invalidated.increment();
  }

  public void expired() {
    expired.increment();
  }

  public void evicted() {
    evicted.increment();
  }

  /** An entry that left before its first hit, for whatever reason. */
  public void wasted() {
    wasted.increment();
  }

  /** A load that was out of date before it could be kept. */
  public void outAtBirth() {
    outAtBirth.increment();
  }

  /** An entry that was put out, though its reload gave the same. */
  public void needless() {
    needless.increment();
  }

  /** A hit has been audited, or was to be. */
  public void audited(Finding finding) {
    LongAdder counter = audits.get(finding);
    if (counter != null) {
      counter.increment();
    }
  }

  /** An answer kept from an own write. */
  public void writtenThrough() {
    writtenThrough.increment();
  }

  public Snapshot snapshot() {
    Map<BypassReason, Long> reasons = new EnumMap<>(BypassReason.class);
    bypasses.forEach((reason, count) -> reasons.put(reason, count.sum()));
    Map<Finding, Long> findings = new EnumMap<>(Finding.class);
    audits.forEach((finding, count) -> findings.put(finding, count.sum()));
    return new Snapshot(
        hits.sum(),
        spared.sum(),
        misses.sum(),
        joined.sum(),
        Map.copyOf(reasons),
        fills.sum(),
        loadFailures.sum(),
        invalidated.sum(),
        expired.sum(),
        evicted.sum(),
        wasted.sum(),
        outAtBirth.sum(),
        writtenThrough.sum(),
        needless.sum(),
        Map.copyOf(findings),
        loads.sum(),
        timedHits.sum());
  }

  /**
   * The counts at a moment. Latencies are in nanoseconds, copies that the caller may keep.
   *
   * @param sparedNanos the load times of the answers that the hits gave, summed over the hits
   * @param joined of the misses, and of the reads while the feed was lost, those that cost no
   *     database read
   * @param invalidated entries found out of date when looked up or evicted
   * @param wasted fills that were never read
   * @param outAtBirth loads that a change overtook, so that they were not kept
   * @param writtenThrough answers kept from own writes
   * @param needless entries found out of date whose reload gave the same rows
   * @param audits how many audits found what
   * @param hitLatency of one hit in {@value #HITS_PER_TIMING}
   */
  public record Snapshot(
      long hits,
      long sparedNanos,
      long misses,
      long joined,
      Map<BypassReason, Long> bypasses,
      long fills,
      long loadFailures,
      long invalidated,
      long expired,
      long evicted,
      long wasted,
      long outAtBirth,
      long writtenThrough,
      long needless,
      Map<Finding, Long> audits,
      Histogram loadLatency,
      Histogram hitLatency) {

    /** Reads that consulted the shelf: hits and misses. */
    public long lookups() {
      return hits + misses;
    }

    /** Hits per lookup, or 0 before the first lookup. */
    public double hitRatio() {
      return lookups() == 0 ? 0 : (double) hits / lookups();
    }

    /**
     * What the hits have saved their callers, in nanoseconds: the load times they spared, less what
     * the hits took, which is known from those that were timed. Below zero where hits cost more.
     */
    public long timeSavedNanos() {
      double hit = hitLatency.getTotalCount() == 0 ? 0 : hitLatency.getMean();
      return sparedNanos - Math.round(hits * hit);
    }

    /** What has been counted and timed since an earlier snapshot of the same meters. */
    public Snapshot since(Snapshot earlier) {
      return new Snapshot(
          hits - earlier.hits,
          sparedNanos - earlier.sparedNanos,
          misses - earlier.misses,
          joined - earlier.joined,
          less(bypasses, earlier.bypasses),
          fills - earlier.fills,
          loadFailures - earlier.loadFailures,
          invalidated - earlier.invalidated,
          expired - earlier.expired,
          evicted - earlier.evicted,
          wasted - earlier.wasted,
          outAtBirth - earlier.outAtBirth,
          writtenThrough - earlier.writtenThrough,
          needless - earlier.needless,
          less(audits, earlier.audits),
          less(loadLatency, earlier.loadLatency),
          less(hitLatency, earlier.hitLatency));
    }

    private static <K> Map<K, Long> less(Map<K, Long> now, Map<K, Long> before) {
      Map<K, Long> since = new HashMap<>(now);
      before.forEach((what, count) -> since.merge(what, -count, Long::sum));
      return Map.copyOf(since);
    }

    private static Histogram less(Histogram now, Histogram before) {
      Histogram since = now.copy();
      since.subtract(before);
      return since;
    }

    /** How many audits found this. */
    public long found(Finding finding) {
      return audits.getOrDefault(finding, 0L);
    }

    /** The share of audited hits with this finding, with its interval. */
    public Wilson shareOf(Finding finding) {
      return Wilson.of(
          found(finding), found(Finding.AGREED) + found(Finding.LATE) + found(Finding.NEVER));
    }

    /** Reads that went around the shelf, for whatever reason. */
    public long bypassed() {
      return bypasses.values().stream().mapToLong(Long::longValue).sum();
    }

    /** Reads that reached the database: misses and bypasses that joined no other load. */
    public long databaseReads() {
      return misses - joined + bypassed();
    }
  }

  /** A histogram with one lock: its writers have just been to the database, or are one in 64. */
  private static final class Latency {
    private final Histogram histogram = new Histogram(LONGEST, DIGITS);

    synchronized void record(long nanos) {
      histogram.recordValue(Math.max(0, Math.min(nanos, LONGEST)));
    }

    synchronized Histogram sum() {
      return histogram.copy();
    }
  }
}
