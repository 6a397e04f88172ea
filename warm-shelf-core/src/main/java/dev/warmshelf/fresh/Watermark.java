package dev.warmshelf.fresh;

import java.time.Instant;

/**
 * A moment up to which every change has been delivered to the board: what had committed before it
 * has been ticked.
 *
 * @param nanos the moment on {@link TimeSource#nanos()}
 * @param at the same moment on the wall clock, to show
 */
public record Watermark(long nanos, Instant at) {
  /** This moment, now. A feed takes it before it asks the database for changes. */
  public static Watermark now(TimeSource time) {
    return new Watermark(time.nanos(), time.wall());
  }
}
