package dev.warmshelf.measure.run;

import dev.warmshelf.measure.figures.WayKind;
import java.time.Instant;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.EnumMap;
import java.util.Map;
import java.util.concurrent.locks.LockSupport;
import java.util.function.LongSupplier;
import java.util.function.Supplier;
import org.HdrHistogram.Histogram;

/**
 * Measures the invalidation lag: how long after a commit had returned to its writer a way's feed
 * had told of everything up to then. The commit itself may have been told of one poll earlier, if
 * that was under way when the commit returned, so this is a bound. Looks once a millisecond while
 * commits are waited for.
 *
 * <p>Thread-safe.
 */
final class LagObserver implements AutoCloseable {
  private static final long LOOK_NANOS = 1_000_000;

  private final Map<WayKind, Waiting> ways = new EnumMap<>(WayKind.class);
  private final LongSupplier clock;
  private final Thread thread = new Thread(this::run, "lag");
  private volatile boolean closed;

  private record Commit(long returnedNanos, Instant returned) {}

  /** One way's commits that its feed has not told of yet; guarded by this observer. */
  private static final class Waiting {
    private final Supplier<Instant> deliveredUpTo;
    private final Deque<Commit> commits = new ArrayDeque<>();
    private final Histogram lags = new Histogram(3);

    Waiting(Supplier<Instant> deliveredUpTo) {
      this.deliveredUpTo = deliveredUpTo;
    }
  }

  /**
   * @param deliveredUpTo for each way that follows a feed, up to when that has told of all
   * @param clock the monotonic one, in nanoseconds
   */
  LagObserver(Map<WayKind, Supplier<Instant>> deliveredUpTo, LongSupplier clock) {
    deliveredUpTo.forEach((way, moment) -> ways.put(way, new Waiting(moment)));
    this.clock = clock;
  }

  void start() {
    thread.setDaemon(true);
    thread.start();
  }

  /** A commit has returned just now. Commits are told of in the order in which they returned. */
  void committed(long returnedNanos, Instant returned) {
    synchronized (this) {
      ways.values().forEach(way -> way.commits.add(new Commit(returnedNanos, returned)));
    }
    LockSupport.unpark(thread);
  }

  /** Looks once; says whether commits are still waited for. */
  synchronized boolean look() {
    boolean waiting = false;
    for (Waiting way : ways.values()) {
      Instant delivered = way.deliveredUpTo.get();
      long now = clock.getAsLong();
      while (!way.commits.isEmpty() && !way.commits.peek().returned().isAfter(delivered)) {
        way.lags.recordValue(Math.max(0, now - way.commits.remove().returnedNanos()));
      }
      waiting |= !way.commits.isEmpty();
    }
    return waiting;
  }

  /** Forgets the lags measured so far. */
  synchronized void forget() {
    ways.values().forEach(way -> way.lags.reset());
  }

  /** A way's lags, in nanoseconds; none if it follows no feed. */
  synchronized Histogram lags(WayKind way) {
    Waiting waiting = ways.get(way);
    return waiting == null ? new Histogram(3) : waiting.lags.copy();
  }

  /** Looks a last time, and ends. */
  @Override
  public void close() {
    closed = true;
    LockSupport.unpark(thread);
    try {
      thread.join();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
    look();
  }

  private void run() {
    while (!closed) {
      if (look()) {
        LockSupport.parkNanos(this, LOOK_NANOS);
      } else if (!closed) {
        LockSupport.park(this);
      }
    }
  }
}
