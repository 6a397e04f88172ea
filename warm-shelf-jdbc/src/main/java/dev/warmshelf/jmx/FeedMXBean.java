package dev.warmshelf.jmx;

import javax.management.MXBean;

/** The feed's meters over JMX; see {@link dev.warmshelf.meter.FeedMeters.Snapshot}. */
@MXBean
public interface FeedMXBean {
  /** STARTING, LIVE, LOST or CLOSED. */
  String getState();

  /** Why it is lost; empty unless it is. */
  String getTrouble();

  /** How long ago the moment is up to which everything has been delivered, in nanoseconds. */
  long getLagNanos();

  long getBatches();

  long getChanges();

  long getUpheavals();

  long getLosses();
}
