package dev.warmshelf.caller;

import java.sql.Connection;
import java.sql.SQLException;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;

/**
 * How long those who need a connection of a data source have waited for it lately: what can be done
 * another time is not done over a pool that is short of them. Thread-safe.
 */
public final class Waits {
  /** To open a connection takes less, as a rule; to wait for one that somebody holds takes more. */
  private static final long LONG_NANOS = TimeUnit.MILLISECONDS.toNanos(50);

  private static final long LATELY_NANOS = TimeUnit.SECONDS.toNanos(10);

  private final AtomicInteger waiting = new AtomicInteger();
  private volatile long untilNanos = System.nanoTime();

  /** Takes a connection. */
  @FunctionalInterface
  public interface Taking {
    /**
     * Takes it.
     *
     * @throws SQLException if there is none
     */
    Connection take() throws SQLException;
  }

  /**
   * Takes a connection, and notes how long that took.
   *
   * @throws SQLException if there is none
   */
  public Connection of(Taking taking) throws SQLException {
    waiting.incrementAndGet();
    long began = System.nanoTime();
    try {
      return taking.take();
    } finally {
      waiting.decrementAndGet();
      long now = System.nanoTime();
      if (now - began >= LONG_NANOS) {
        untilNanos = now + LATELY_NANOS;
      }
    }
  }

  /** Whether somebody is waiting for a connection, or has waited for long not long ago. */
  public boolean isShort() {
    return waiting.get() > 0 || System.nanoTime() - untilNanos < 0;
  }
}
