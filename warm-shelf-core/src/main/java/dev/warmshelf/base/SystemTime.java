package dev.warmshelf.base;

import dev.warmshelf.time.TimeSource;
import java.time.Duration;
import java.time.Instant;
import java.util.concurrent.locks.LockSupport;

/**
 * The system's clocks. {@link #coarseNanos()} is a field that a daemon thread renews every {@link
 * #STEP}: reading it costs about a nanosecond, where {@link System#nanoTime()} costs some twenty.
 *
 * <p>The trap: the field falls behind while the thread does not run, for example just after the
 * whole process was paused. Whoever asks for the exact time then (each miss does, and one hit in
 * some) mends it; until somebody has, an entry may outlive its TTL by the pause plus one step, and
 * a lost feed may be noticed one step late. What is compared on the board does not depend on it.
 */
public final class SystemTime implements TimeSource, AutoCloseable {
  /** How far {@link #coarseNanos()} lags behind while the machine keeps up. */
  public static final Duration STEP = Duration.ofMillis(10);

  private volatile long coarse = System.nanoTime();
  private volatile boolean closed;

  private SystemTime() {}

  /** Starts the clock's thread; {@link #close()} ends it. */
  public static SystemTime start() {
    SystemTime time = new SystemTime();
    Thread thread = new Thread(time::run, "warm-shelf-clock");
    thread.setDaemon(true);
    thread.start();
    return time;
  }

  @Override
  public long nanos() {
    long now = System.nanoTime();
    if (now - coarse > STEP.toNanos()) {
      coarse = now; // the clock's thread is late
    }
    return now;
  }

  @Override
  public long coarseNanos() {
    return coarse;
  }

  @Override
  public Instant wall() {
    return Instant.now();
  }

  @Override
  public void close() {
    closed = true;
  }

  private void run() {
    while (!closed) {
      coarse = System.nanoTime();
      LockSupport.parkNanos(this, STEP.toNanos());
    }
  }
}
