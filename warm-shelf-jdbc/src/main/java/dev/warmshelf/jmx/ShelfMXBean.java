package dev.warmshelf.jmx;

import javax.management.MXBean;

/**
 * One shelf's meters, as {@link dev.warmshelf.meter.Meters.Snapshot} defines them, over JMX. Counts
 * since the program opened the shelf; times in nanoseconds.
 */
@MXBean
public interface ShelfMXBean {
  /** The shelf's name, after the program's namespace if it has one. */
  String getName();

  /** Answers kept just now, fresh or not. */
  int getSize();

  /**
   * About how much memory the answers kept take, with their keys and lanes. Worked out when asked
   * for, by a look at every entry.
   */
  long getBytes();

  long getHits();

  /** What the hits have saved their callers: the load times they spared, less what they took. */
  long getTimeSavedNanos();

  long getMisses();

  long getJoined();

  long getBypassed();

  long getFills();

  long getLoadFailures();

  long getInvalidated();

  long getNeedless();

  long getExpired();

  long getEvicted();

  long getWasted();

  long getOutAtBirth();

  long getWrittenThrough();

  /** 0 before the first timed hit, as all latencies are before their first. */
  long getHitP50Nanos();

  long getHitP99Nanos();

  long getLoadP50Nanos();

  long getLoadP99Nanos();

  /** Audits that found the answer right. */
  long getAuditsAgreed();

  /** Audits that found the answer late. */
  long getAuditsLate();

  /** Audits that found a defect. */
  long getAuditsNever();
}
