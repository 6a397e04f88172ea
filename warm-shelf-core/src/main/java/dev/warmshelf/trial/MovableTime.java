package dev.warmshelf.trial;

import dev.warmshelf.time.TimeSource;
import java.time.Duration;
import java.time.Instant;

/**
 * A clock that stands until it is moved: for tests, and for asking again what was recorded. Wall
 * and monotonic time move apart on request. Thread-safe.
 */
public final class MovableTime implements TimeSource {
  private volatile long nanos = 1_000_000_000L;
  private volatile Instant wall = Instant.parse("2026-06-01T08:00:00Z");

  /** Moves both. */
  public synchronized void pass(Duration duration) {
    nanos = nanos + duration.toNanos();
    wall = wall.plus(duration);
  }

  /** Moves both, so that {@link #nanos()} says this. */
  public synchronized void moveTo(long moment) {
    pass(Duration.ofNanos(moment - nanos));
  }

  /** Moves the wall clock alone. */
  public synchronized void jumpWallClock(Duration by) {
    wall = wall.plus(by);
  }

  @Override
  public long nanos() {
    return nanos;
  }

  @Override
  public long coarseNanos() {
    return nanos;
  }

  @Override
  public Instant wall() {
    return wall;
  }
}
