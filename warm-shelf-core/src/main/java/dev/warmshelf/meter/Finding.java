package dev.warmshelf.meter;

/** What the audit of a hit found. */
public enum Finding {
  /** A direct read gave the same. */
  AGREED,
  /**
   * A direct read gave something else, and the answer has been invalidated since: the feed had not
   * told of the change yet, or it came between the hit and its audit.
   */
  LATE,
  /**
   * A direct read gave something else, and nothing has invalidated the answer though the feed has
   * delivered all there was: its footprint is wrong. A defect.
   */
  NEVER,
  /** The feed did not deliver in time to tell, or the direct read failed. */
  UNDECIDED,
  /** There were more audits to do than may be done. */
  SKIPPED
}
