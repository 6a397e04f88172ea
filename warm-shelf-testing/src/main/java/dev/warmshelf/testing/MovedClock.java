package dev.warmshelf.testing;

import dev.warmshelf.time.TimeSource;
import java.time.Duration;
import java.time.Instant;
import java.util.Objects;
import java.util.concurrent.atomic.AtomicLong;

/**
 * A clock that the test moves. Else it stands, but for a nanosecond with each look at it: what
 * happens later happens at a later moment. Thread-safe.
 */
public final class MovedClock implements TimeSource {
  private final Instant beginning;
  private final AtomicLong passed = new AtomicLong();

  private MovedClock(Instant beginning) {
    this.beginning = Objects.requireNonNull(beginning, "beginning");
  }

  /** Shows this moment at first. */
  public static MovedClock at(Instant beginning) {
    return new MovedClock(beginning);
  }

  /**
   * Moves it on.
   *
   * @throws IllegalArgumentException if it were to go back
   */
  public void pass(Duration time) {
    if (time.isNegative()) {
      throw new IllegalArgumentException("Time does not go back, as by " + time + ".");
    }
    passed.addAndGet(time.toNanos());
  }

  @Override
  public long nanos() {
    return passed.incrementAndGet();
  }

  @Override
  public long coarseNanos() {
    return passed.get();
  }

  @Override
  public Instant wall() {
    return beginning.plusNanos(passed.get());
  }
}
