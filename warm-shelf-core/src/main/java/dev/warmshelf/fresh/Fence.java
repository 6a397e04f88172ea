package dev.warmshelf.fresh;

import dev.warmshelf.time.TimeSource;

/**
 * Where the board and the clock stood before a value was worked out: what has changed since is not
 * in it, and what had committed before is.
 *
 * @param tick the board's tick
 * @param nanos on {@link TimeSource#nanos()}
 */
public record Fence(long tick, long nanos) {}
