package dev.warmshelf.spi.feed;

import dev.warmshelf.time.TimeSource;
import java.time.Duration;

/**
 * Where a feed delivers what it has read of its database.
 *
 * <p>Batches come from one thread, in order; all else may be asked by any. Thread-safe.
 */
public interface Receiver {
  /** The clocks that marks are taken from. */
  TimeSource time();

  /**
   * Invalidates what the batch tells, clears what it clears, then moves the watermark to its mark,
   * if it has one.
   */
  void deliver(Batch batch);

  /**
   * Whether a transaction of this process has told its changes itself, after its commit had
   * returned; false once that is forgotten.
   *
   * @param transaction as {@link dev.warmshelf.lane.Change#transaction} has it
   */
  boolean hasTold(String transaction);

  /** The number of the latest change that answers are judged by. */
  long lastTick();

  /**
   * Waits until a mark has reached a moment.
   *
   * @param nanos the moment, on {@link TimeSource#nanos()}
   * @return whether it has; not if the thread was interrupted or the time was over
   */
  boolean awaitMark(long nanos, Duration atMost);

  /** How many ticks there were that no batch has told of. */
  long untold();
}
