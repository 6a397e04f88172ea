package dev.warmshelf.meter;

import java.io.Serializable;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.ThreadLocalRandom;
import java.util.concurrent.atomic.LongAdder;
import org.jspecify.annotations.Nullable;

/**
 * What one shelf has counted and timed since it was opened.
 *
 * <p>Counters are exact. Loads are all timed. Hits are timed one in {@value #HITS_PER_TIMING},
 * chosen at random: reading the clock twice would cost more than the hit.
 *
 * <p>Thread-safe. {@link #snapshot()} reads the counters one after the other, so counts taken while
 * reads go on may differ by the reads in between.
 */
@SuppressWarnings("EnumOrdinal") // an index into an array of as many adders; it is never stored
public final class Meters {
  /** One hit in so many is timed. */
  public static final int HITS_PER_TIMING = 64;

  private static final Count[] COUNTS = Count.values();
  private static final BypassReason[] REASONS = BypassReason.values();
  private static final Finding[] FINDINGS = Finding.values();
  private static final int FIRST_REASON = COUNTS.length;
  private static final int FIRST_FINDING = FIRST_REASON + REASONS.length;
  private static final int ALL = FIRST_FINDING + FINDINGS.length;

  private final LongAdder[] adders = new LongAdder[ALL];
  private final Timings loads = new Timings();
  private final Timings timedHits = new Timings();
  private final Timings bypasses = new Timings();

  /** All counts are zero. */
  public Meters() {
    Arrays.setAll(adders, i -> new LongAdder());
  }

  private static int at(BypassReason reason) {
    return FIRST_REASON + reason.ordinal();
  }

  private static int at(Finding finding) {
    return FIRST_FINDING + finding.ordinal();
  }

  /** Counts one. */
  public void count(Count what) {
    adders[what.ordinal()].increment();
  }

  /** Counts a miss for which only what had changed was asked. */
  public void mended(long nanos) {
    count(Count.MENDED);
    adders[Count.MENDING_NANOS.ordinal()].add(nanos);
  }

  /** Counts a read that bypassed the shelf. */
  public void bypass(BypassReason reason) {
    adders[at(reason)].increment();
  }

  /** Counts a hit that has been audited, or was to be. */
  public void audited(Finding finding) {
    adders[at(finding)].increment();
  }

  /** Whether the read that begins now should be timed if it becomes a hit. */
  public boolean timesThisHit() {
    return (ThreadLocalRandom.current().nextInt() & (HITS_PER_TIMING - 1)) == 0;
  }

  /**
   * Counts a hit.
   *
   * @param loadNanos how long the answer took to load: what the hit has spared
   */
  public void hit(long loadNanos) {
    count(Count.HITS);
    adders[Count.SPARED_NANOS.ordinal()].add(loadNanos);
  }

  /** Notes how long a hit took that was to be timed, in nanoseconds. */
  public void hitTook(long nanos) {
    timedHits.record(nanos);
    count(Count.TIMED_HITS);
    adders[Count.TIMED_HIT_NANOS.ordinal()].add(nanos);
  }

  /** Notes what a read that was no plain hit took beyond the load time of its answer. */
  public void tookBeyondLoad(long nanos) {
    adders[Count.BEYOND_LOADS_NANOS.ordinal()].add(nanos);
  }

  /** Notes how long a load took, in nanoseconds. */
  public void loaded(long nanos) {
    loads.record(nanos);
  }

  /** Notes how long a read took that bypassed the shelf, in nanoseconds. */
  public void bypassTook(long nanos) {
    bypasses.record(nanos);
  }

  /**
   * How long reads took that bypassed the shelf, if they did not share another's; goes on. Of what
   * a program asks through a wrapped data source nothing is noted: it asks the database itself.
   */
  public Timings bypasses() {
    return bypasses;
  }

  /** How long loads took since the shelf was opened; goes on. */
  public Timings loads() {
    return loads;
  }

  /**
   * How long hits took, of one in {@value #HITS_PER_TIMING}, since the shelf was opened; goes on.
   */
  public Timings timedHits() {
    return timedHits;
  }

  /** The counts as they are now. */
  public Snapshot snapshot() {
    long[] counts = new long[ALL];
    Arrays.setAll(counts, i -> adders[i].sum());
    return new Snapshot(counts);
  }

  /** Counts at a moment, or between two moments. Immutable. */
  public static final class Snapshot implements Serializable {
    private static final long serialVersionUID = 1;

    private final long[] counts;

    private Snapshot(long[] counts) {
      this.counts = counts;
    }

    /** This count. */
    public long get(Count what) {
      return counts[what.ordinal()];
    }

    /** How many reads bypassed the shelf for this reason. */
    public long get(BypassReason reason) {
      return counts[at(reason)];
    }

    /** How many audits found this. */
    public long get(Finding finding) {
      return counts[at(finding)];
    }

    /** Reads that consulted the shelf: hits and misses. */
    public long lookups() {
      return get(Count.HITS) + get(Count.MISSES);
    }

    /** Hits per lookup, or 0 before the first lookup. */
    public double hitRatio() {
      return lookups() == 0 ? 0 : (double) get(Count.HITS) / lookups();
    }

    /**
     * What the shelf has saved its callers, in nanoseconds: the load times that hits spared, less
     * what the hits took, which is known from those that were timed, and less what all other reads
     * took beyond the load times of their answers. Below zero where that is more.
     */
    public long timeSavedNanos() {
      long timed = get(Count.TIMED_HITS);
      double hit = timed == 0 ? 0 : (double) get(Count.TIMED_HIT_NANOS) / timed;
      return get(Count.SPARED_NANOS)
          - Math.round(get(Count.HITS) * hit)
          - get(Count.BEYOND_LOADS_NANOS);
    }

    /** Reads that bypassed the shelf, for whatever reason. */
    public long bypassed() {
      return Arrays.stream(REASONS).mapToLong(this::get).sum();
    }

    /**
     * Statements that the database was sent: for each miss and bypass that joined no other load and
     * was given no other process's answer, for what was renewed in the background, and for parts
     * that were asked for in vain.
     */
    public long databaseReads() {
      return get(Count.MISSES)
          - get(Count.JOINED)
          - get(Count.SHARED)
          + get(Count.AHEAD)
          + get(Count.UNMENDED)
          + bypassed();
    }

    /** How many hits were audited with a result. */
    public long audited() {
      return get(Finding.AGREED) + get(Finding.LATE) + get(Finding.NEVER);
    }

    /** What has been counted here and, by other meters, there. */
    public Snapshot and(Snapshot there) {
      long[] both = new long[ALL];
      Arrays.setAll(both, i -> counts[i] + there.counts[i]);
      return new Snapshot(both);
    }

    /** What has been counted since an earlier snapshot of the same meters. */
    public Snapshot since(Snapshot earlier) {
      long[] since = new long[ALL];
      Arrays.setAll(since, i -> counts[i] - earlier.counts[i]);
      return new Snapshot(since);
    }

    /**
     * All counts by name, in their order: those of {@link Count}, what follows from them, and the
     * reasons of bypasses and the findings of audits by name.
     */
    public Map<String, Long> byName() {
      Map<String, Long> all = new LinkedHashMap<>();
      all.put("lookups", lookups());
      for (Count what : COUNTS) {
        all.put(what.label(), get(what));
      }
      all.put("timeSavedNanos", timeSavedNanos());
      all.put("databaseReads", databaseReads());
      all.put("bypassed", bypassed());
      for (BypassReason reason : REASONS) {
        all.put("bypassed" + camel(reason), get(reason));
      }
      for (Finding finding : FINDINGS) {
        all.put("audits" + camel(finding), get(finding));
      }
      return all;
    }

    private static String camel(Enum<?> constant) {
      StringBuilder name = new StringBuilder();
      for (String word : constant.name().split("_", -1)) {
        name.append(word.charAt(0)).append(word.substring(1).toLowerCase(java.util.Locale.ROOT));
      }
      return name.toString();
    }

    @Override
    public boolean equals(@Nullable Object other) {
      return other instanceof Snapshot that && Arrays.equals(counts, that.counts);
    }

    @Override
    public int hashCode() {
      return Arrays.hashCode(counts);
    }

    @Override
    public String toString() {
      return byName().toString();
    }
  }
}
