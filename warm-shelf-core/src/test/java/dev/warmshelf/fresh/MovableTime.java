package dev.warmshelf.fresh;

import java.time.Duration;
import java.time.Instant;

/** A clock that the test moves. Wall and monotonic time move apart on request. */
public final class MovableTime implements TimeSource {
  private volatile long nanos = 1_000_000_000L;
  private volatile Instant wall = Instant.parse("2026-06-01T08:00:00Z");

  public synchronized void pass(Duration duration) {
    nanos = nanos + duration.toNanos();
    wall = wall.plus(duration);
  }

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
