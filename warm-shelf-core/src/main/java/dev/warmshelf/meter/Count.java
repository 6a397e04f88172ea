package dev.warmshelf.meter;

/**
 * What a shelf counts. To count one more thing is one more line here; snapshots, JMX, tables and
 * JSON go through all of them.
 */
public enum Count {
  /** Lookups that found an answer to serve. */
  HITS("hits"),
  /** Lookups that did not. */
  MISSES("misses"),
  /**
   * Of the misses, and of the reads while the feed was lost, those that another's load answered.
   */
  JOINED("joined"),
  /** Of the misses, those that another process's answer has answered. */
  SHARED("shared"),
  /** Of the loads, those for which only what had changed was asked, and put in its place. */
  MENDED("mended"),
  /** Of these, those of which nothing had changed, as a probe has told. */
  PROBED("probed"),
  /** Of the loads, those before which parts were asked for in vain: more had changed meanwhile. */
  UNMENDED("unmended"),
  /** What mending took, in nanoseconds, summed over them. */
  MENDING_NANOS("mendingNanos"),
  /** Answers that were put on the shelf. */
  FILLS("fills"),
  /** Answers that an earlier process had kept, and that were put on the shelf again. */
  RESTORED("restored"),
  /** Loads that threw. */
  LOAD_FAILURES("loadFailures"),
  /** Entries that a second look at the changes has found untouched, when they were asked for. */
  REVIVED("revived"),
  /** Of the hits, those on entries that are out of date, and served on purpose. */
  OLD("old"),
  /** Reads that got a kept answer, old or not, since the database failed to answer. */
  OLD_ON_FAILURE("oldOnFailure"),
  /** Answers loaded or mended in the background: ahead, or while old ones were served. */
  AHEAD("ahead"),
  /** Entries found out of date when looked up, evicted or swept. */
  INVALIDATED("invalidated"),
  /** Of these, those whose reload gave the same rows. */
  NEEDLESS("needless"),
  /** Entries found older than their time to live. */
  EXPIRED("expired"),
  /** Entries that left since there was no room, though they were fresh. */
  EVICTED("evicted"),
  /** Entries that left before their first hit, for whatever reason. */
  WASTED("wasted"),
  /** Answers that were not kept since they are too large, or the policy keeps none such. */
  NOT_KEPT("notKept"),
  /** Loads that a change overtook, so that they were not kept. */
  OVERTAKEN("overtaken"),
  /** Answers kept from own writes. */
  WRITTEN_THROUGH("writtenThrough"),
  /** Load times of the answers that the hits gave, in nanoseconds, summed over the hits. */
  SPARED_NANOS("sparedNanos"),
  /** Hits that were timed. */
  TIMED_HITS("timedHits"),
  /** What those took, in nanoseconds. */
  TIMED_HIT_NANOS("timedHitNanos"),
  /**
   * What reads that were no plain hits took beyond the load times of the answers they were given,
   * in nanoseconds: second looks, waits, what is done before and after a load. Below zero where
   * reads were given others' answers, or mended ones, sooner than they had loaded them.
   */
  BEYOND_LOADS_NANOS("beyondLoadsNanos");

  private final String label;

  Count(String label) {
    this.label = label;
  }

  /** Its name in JMX, JSON and tables. */
  public String label() {
    return label;
  }
}
