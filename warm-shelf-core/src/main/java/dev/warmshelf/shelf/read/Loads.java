package dev.warmshelf.shelf.read;

import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.time.TimeSource;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import java.util.function.Predicate;
import java.util.function.Supplier;
import org.jspecify.annotations.Nullable;

/**
 * The loads of one shelf that are under way.
 *
 * <p><b>The invariant.</b> Of one key at most {@value #MOST_AT_ONCE} loads run at any time, and at
 * most one waits to begin. Whoever comes too late for those that run shares the one that waits: it
 * begins after all who wait for it have come, so what it reads is for each of them as good as a
 * read of their own. Any of them may begin it, so it does not depend on one thread's patience.
 *
 * <p><b>Nobody waits for ever.</b> A load that has run for longer than the patience counts as
 * stuck: nobody waits for it any more, and it takes up no place. A thread that is loading never
 * waits for another load, so no two wait for each other.
 *
 * <p>Thread-safe, by one lock a key, which is held for moments only.
 */
final class Loads {
  static final int MOST_AT_ONCE = 2;

  private final TimeSource time;
  private final long patienceNanos;
  private final ConcurrentHashMap<Key, Line> lines = new ConcurrentHashMap<>();

  /** What one key's callers stand in. */
  private static final class Line {
    private final List<Load> running = new ArrayList<>(MOST_AT_ONCE);
    private @Nullable Load next;
    private int callers;

    /** Taken out of the map; whoever finds it so looks for another. */
    private boolean closed;
  }

  /**
   * What a caller got.
   *
   * @param load landed, unless it is the caller's to run
   * @param mine whether the caller must run it, and {@link Loads#land} it
   * @param beganAfterCall whether it began after the caller had come
   */
  record Turn(Load load, boolean mine, boolean beganAfterCall) {}

  /**
   * @param patienceNanos how long to wait for a load before it counts as stuck
   */
  Loads(TimeSource time, long patienceNanos) {
    this.time = time;
    this.patienceNanos = patienceNanos;
  }

  /** How many keys are being loaded. */
  int size() {
    return lines.size();
  }

  /** Whether anybody is loading this key, or waits for who does. */
  boolean isLoading(Key key) {
    return lines.containsKey(key);
  }

  /**
   * Waits for another caller's load, or gives the caller one to run.
   *
   * @param wouldDo whether a load that runs already is good enough for the caller; called with the
   *     key's lock held
   * @param fence takes the fence of a load that begins; called with the lock held
   * @param limitNanos how long the caller waits at most; none at all if it is 0, and then it gets a
   *     load to run at once, if need be one that nobody else can share
   * @throws WaitEndedException if the caller was interrupted, or waited for longer
   */
  Turn take(Key key, Predicate<Load> wouldDo, Supplier<Fence> fence, long limitNanos) {
    Line line = enter(key);
    try {
      synchronized (line) {
        return new Waiting(line, wouldDo, fence, limitNanos).turn();
      }
    } finally {
      leave(key, line);
    }
  }

  /** Ends a load that the caller has run. */
  void land(Key key, Load load, Load.Outcome outcome) {
    Line line = enter(key);
    try {
      synchronized (line) {
        load.land(outcome);
        line.running.remove(load);
        line.notifyAll();
      }
    } finally {
      leave(key, line);
    }
  }

  private Line enter(Key key) {
    while (true) {
      Line line = lines.computeIfAbsent(key, k -> new Line());
      synchronized (line) {
        if (!line.closed) {
          line.callers++;
          return line;
        }
      }
    }
  }

  private void leave(Key key, Line line) {
    synchronized (line) {
      line.callers--;
      if (line.callers == 0 && line.running.isEmpty()) {
        line.closed = true;
        lines.remove(key, line);
      }
    }
  }

  /** One caller, in its line; all with the line's lock held. */
  private final class Waiting {
    private final Line line;
    private final Predicate<Load> wouldDo;
    private final Supplier<Fence> fence;
    private final long limitNanos;
    private final long came = time.nanos();

    Waiting(Line line, Predicate<Load> wouldDo, Supplier<Fence> fence, long limitNanos) {
      this.line = line;
      this.wouldDo = wouldDo;
      this.fence = fence;
      this.limitNanos = limitNanos;
    }

    Turn turn() {
      Load running = runningThatWouldDo();
      if (running != null && limitNanos > 0) {
        awaitLanding(running);
        if (running.hasLanded()) {
          return new Turn(running, false, false);
        } // stuck: like one that would not do
      }
      if (isThereRoom()) {
        return begin(line.next == null ? new Load() : line.next);
      }
      if (limitNanos <= 0) {
        Load alone = new Load();
        alone.begin(fence.get());
        return new Turn(alone, true, true);
      }
      Load next = line.next == null ? new Load() : line.next;
      line.next = next;
      return awaitNext(next);
    }

    private @Nullable Load runningThatWouldDo() {
      for (Load load : line.running) {
        if (!isStuck(load) && wouldDo.test(load)) {
          return load;
        }
      }
      return null;
    }

    private void awaitLanding(Load running) {
      while (!running.hasLanded() && !isStuck(running)) {
        pause(untilStuck(running));
      }
    }

    private Turn awaitNext(Load next) {
      while (!next.hasLanded()) {
        if (!next.hasBegun() && isThereRoom()) {
          return begin(next);
        } else if (next.hasBegun() && isStuck(next)) {
          return turn(); // the wait begins anew, for one that begins later still
        }
        pause(next.hasBegun() ? untilStuck(next) : untilOneIsStuck());
      }
      return new Turn(next, false, true);
    }

    private Turn begin(Load load) {
      if (line.next == load) {
        line.next = null;
      }
      load.begin(fence.get());
      line.running.add(load);
      return new Turn(load, true, true);
    }

    private boolean isThereRoom() {
      return line.running.stream().filter(load -> !isStuck(load)).count() < MOST_AT_ONCE;
    }

    private boolean isStuck(Load load) {
      return untilStuck(load) <= 0;
    }

    private long untilStuck(Load load) {
      return patienceNanos - (time.nanos() - load.fence().nanos());
    }

    private long untilOneIsStuck() {
      return line.running.stream()
          .mapToLong(this::untilStuck)
          .filter(left -> left > 0)
          .min()
          .orElse(patienceNanos);
    }

    private void pause(long atMostNanos) {
      long left = limitNanos - (time.nanos() - came);
      if (left <= 0) {
        throw new WaitEndedException(
            "Waited for another caller's load of the same question for as long as was allowed.",
            null);
      }
      try {
        // The clock may be a test's; a look now and then costs little.
        long nanos = Math.min(Math.min(left, atMostNanos), TimeUnit.SECONDS.toNanos(1));
        TimeUnit.NANOSECONDS.timedWait(line, Math.max(nanos, TimeUnit.MILLISECONDS.toNanos(1)));
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new WaitEndedException(
            "Interrupted while waiting for another caller's load of the same question.", e);
      }
    }
  }
}
