package dev.warmshelf.time;

/**
 * A moment up to which every change has been delivered to the board: what had committed before it
 * has been ticked.
 *
 * @param nanos the moment on {@link TimeSource#nanos()}
 */
public record Watermark(long nanos) {
  /** This moment, now. A feed takes it before it asks the database for changes. */
  public static Watermark now(TimeSource time) {
    return new Watermark(time.nanos());
  }
}
