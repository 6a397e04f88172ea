package dev.warmshelf.meter;

import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.atomic.LongAdder;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;

/**
 * What a feed has counted and timed since it began to follow.
 *
 * <p>Thread-safe, by one lock: a feed delivers at most some hundred times a second.
 */
public final class FeedMeters {
  private static final Pattern NUMBERS = Pattern.compile("\\d+");

  private final Timings steps = new Timings();
  private State state = State.STARTING;
  private @Nullable String trouble;
  private long batches;
  private long changes;
  private long resets;
  private long losses;
  private long lastMark;
  private final LongAdder told = new LongAdder();
  private final LongAdder waited = new LongAdder();
  private final LongAdder commitNanos = new LongAdder();

  /** Whether changes arrive. */
  public enum State {
    /** Not asked yet. */
    STARTING,
    /** Changes arrive. */
    LIVE,
    /** The database cannot be asked; the watermark stands still. */
    LOST,
    /** It follows no longer. */
    CLOSED
  }

  /** A batch has been delivered whose mark is this moment. */
  public synchronized void delivered(int count, long markNanos) {
    if (batches > 0) {
      steps.record(markNanos - lastMark);
    }
    lastMark = markNanos;
    batches++;
    changes += count;
  }

  /** A commit of this process has said itself what it has changed. */
  public void commitTold() {
    told.increment();
  }

  /** Notes what a commit of this process took for the library's sake, in nanoseconds. */
  public void commitTook(long nanos) {
    commitNanos.add(nanos);
  }

  /** A commit of this process has waited until the feed had told of it. */
  public void commitWaited() {
    waited.increment();
  }

  /** Everything kept was invalidated: the place was lost, or the triggers have changed. */
  public synchronized void reset() {
    resets++;
  }

  /**
   * The feed's state is now this.
   *
   * @param why in words, where it is {@link State#LOST}
   * @return whether it was another before, or lost for another reason; reasons that differ in
   *     nothing but numbers, such as of milliseconds waited, are one
   */
  public synchronized boolean become(State now, @Nullable String why) {
    boolean changed = state != now;
    if (changed && now == State.LOST) {
      losses++;
    }
    String before = trouble;
    state = now;
    trouble = now == State.LOST ? why : null;
    return changed || !withoutNumbers(trouble).equals(withoutNumbers(before));
  }

  private static String withoutNumbers(@Nullable String reason) {
    return reason == null ? "" : NUMBERS.matcher(reason).replaceAll("#");
  }

  /**
   * Nanoseconds from one watermark to the next; goes on. No change waited for its tick longer than
   * the step it fell into, and the time the look itself took.
   */
  public Timings steps() {
    return steps;
  }

  /** The counts as they are now. */
  public synchronized Snapshot snapshot() {
    Commits commits = new Commits(told.sum(), waited.sum(), commitNanos.sum());
    return new Snapshot(
        state, Optional.ofNullable(trouble), batches, changes, resets, losses, commits);
  }

  /**
   * How the commits of this process became known to it.
   *
   * @param told how many have said themselves what they changed
   * @param waited how many have waited until the feed had told of it, or in vain
   * @param tookNanos what those who committed have waited for that, in nanoseconds, in all
   */
  public record Commits(long told, long waited, long tookNanos) {}

  /**
   * The counts at a moment.
   *
   * @param trouble why the feed is lost; empty unless it is
   * @param batches how often the feed has looked
   * @param changes how many changes it has found
   * @param resets how often everything kept was invalidated at once
   * @param losses how often the feed was lost
   * @param commits of this process
   */
  public record Snapshot(
      State state,
      Optional<String> trouble,
      long batches,
      long changes,
      long resets,
      long losses,
      Commits commits) {
    /** All counts by name. */
    public Map<String, Long> byName() {
      Map<String, Long> all = new LinkedHashMap<>();
      all.put("batches", batches);
      all.put("changes", changes);
      all.put("resets", resets);
      all.put("losses", losses);
      all.put("commitsTold", commits.told());
      all.put("commitsWaited", commits.waited());
      return all;
    }
  }
}
