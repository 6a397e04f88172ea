package dev.warmshelf.meter;

import java.util.concurrent.TimeUnit;
import org.HdrHistogram.Histogram;
import org.jspecify.annotations.Nullable;

/**
 * What a feed has counted and timed since it began to follow.
 *
 * <p>Thread-safe, by one lock: a feed delivers at most some hundred times a second.
 */
public final class FeedMeters {
  private static final long LONGEST = TimeUnit.DAYS.toNanos(1);

  private final Histogram steps = new Histogram(LONGEST, 2);
  private State state = State.STARTING;
  private @Nullable String trouble;
  private long batches;
  private long changes;
  private long upheavals;
  private long losses;
  private long lastMark;

  /** Whether changes arrive. */
  public enum State {
    STARTING,
    LIVE,
    /** The database cannot be asked; the watermark stands still. */
    LOST,
    CLOSED
  }

  /** A batch has been delivered whose mark is this moment. */
  public synchronized void delivered(int count, long markNanos) {
    if (batches > 0) {
      steps.recordValue(Math.max(0, Math.min(markNanos - lastMark, LONGEST)));
    }
    lastMark = markNanos;
    batches++;
    changes += count;
  }

  /** Everything kept had to go: place lost, or schema changed. */
  public synchronized void upheaval() {
    upheavals++;
  }

  /**
   * The feed's state is now this.
   *
   * @param why in words, where it is {@link State#LOST}
   * @return whether it was another before
   */
  public synchronized boolean become(State now, @Nullable String why) {
    boolean changed = state != now;
    if (changed && now == State.LOST) {
      losses++;
    }
    state = now;
    trouble = now == State.LOST ? why : null;
    return changed;
  }

  public synchronized Snapshot snapshot() {
    return new Snapshot(state, trouble, batches, changes, upheavals, losses, steps.copy());
  }

  /**
   * The counts at a moment.
   *
   * @param trouble why the feed is lost; null unless it is
   * @param batches how often the feed has looked
   * @param changes how many changes it has found
   * @param upheavals how often everything kept had to go
   * @param losses how often the feed was lost
   * @param steps nanoseconds from one watermark to the next: no change waited for its tick longer
   *     than the step it fell into, and the time the look itself took
   */
  public record Snapshot(
      State state,
      @Nullable String trouble,
      long batches,
      long changes,
      long upheavals,
      long losses,
      Histogram steps) {}
}
