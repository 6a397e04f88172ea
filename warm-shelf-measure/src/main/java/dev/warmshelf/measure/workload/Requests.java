package dev.warmshelf.measure.workload;

import org.jspecify.annotations.Nullable;

/** A stream of requests. For one thread. */
public interface Requests {
  /** The next request, or null at the end. */
  @Nullable Paced next();

  /**
   * A request with its place in time.
   *
   * @param gapNanos how long after the one before it is to be asked; 0 for at once
   */
  record Paced(Request request, long gapNanos) {}
}
