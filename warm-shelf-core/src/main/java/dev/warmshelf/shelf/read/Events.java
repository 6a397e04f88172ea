package dev.warmshelf.shelf.read;

import dev.warmshelf.key.Key;
import dev.warmshelf.plan.Footprint;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.slf4j.spi.LoggingEventBuilder;

/**
 * What happens to single answers, as structured log events: the message is the event, and key-value
 * pairs say of which shelf and key. All under the logger {@value #LOGGER}, on level DEBUG, and so
 * off unless somebody turns it on; then a check of the level is all that it costs.
 *
 * <p>The key is its digest's beginning, as {@code shelf key} prints it; values never show.
 */
public final class Events {
  /** The logger's name. */
  public static final String LOGGER = "dev.warmshelf.events";

  private static final Logger LOG = LoggerFactory.getLogger(LOGGER);
  private static final long NANOS_PER_MICRO = 1_000;

  private Events() {}

  /** A kept answer was served. */
  public static void hit(String shelf, Key key, long ageNanos) {
    if (LOG.isDebugEnabled()) {
      event(shelf, key).addKeyValue("age_us", ageNanos / NANOS_PER_MICRO).log("hit");
    }
  }

  /** Changes were looked at again, and make no difference to a kept answer. */
  public static void revived(String shelf, Key key) {
    if (LOG.isDebugEnabled()) {
      event(shelf, key).log("revived");
    }
  }

  /** What had changed of an answer was asked for, and put in its place. */
  public static void mended(String shelf, Key key, long nanos) {
    if (LOG.isDebugEnabled()) {
      event(shelf, key).addKeyValue("took_us", nanos / NANOS_PER_MICRO).log("mended");
    }
  }

  /** A kept answer was served that is out of date, on purpose. */
  public static void old(String shelf, Key key, long missingNanos) {
    if (LOG.isDebugEnabled()) {
      event(shelf, key).addKeyValue("missing_us", missingNanos / NANOS_PER_MICRO).log("old");
    }
  }

  /** An answer is too large to be kept, or the policy keeps none such. */
  public static void notKept(String shelf, Key key) {
    if (LOG.isDebugEnabled()) {
      event(shelf, key).log("not kept");
    }
  }

  /** There was none to serve. */
  public static void miss(String shelf, Key key) {
    if (LOG.isDebugEnabled()) {
      event(shelf, key).log("miss");
    }
  }

  /** A miss that another caller's load answered. */
  public static void joined(String shelf, Key key) {
    if (LOG.isDebugEnabled()) {
      event(shelf, key).log("joined");
    }
  }

  /** An answer was put on the shelf. */
  public static void fill(String shelf, Key key, long loadNanos, Footprint footprint) {
    if (LOG.isDebugEnabled()) {
      event(shelf, key)
          .addKeyValue("load_us", loadNanos / NANOS_PER_MICRO)
          .addKeyValue("footprint", footprint)
          .log("fill");
    }
  }

  /** A load that a change overtook, so that it was not kept. */
  public static void outAtBirth(String shelf, Key key) {
    if (LOG.isDebugEnabled()) {
      event(shelf, key).log("overtaken");
    }
  }

  /**
   * An entry that is kept no longer.
   *
   * @param why invalidated, expired, evicted or cleared
   */
  public static void left(String shelf, Key key, String why, boolean everRead) {
    if (LOG.isDebugEnabled()) {
      event(shelf, key).addKeyValue("ever_read", everRead).log(why);
    }
  }

  private static LoggingEventBuilder event(String shelf, Key key) {
    return LOG.atDebug().addKeyValue("shelf", shelf).addKeyValue("key", key.shortDigest());
  }
}
