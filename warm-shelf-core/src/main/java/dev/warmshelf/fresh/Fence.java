package dev.warmshelf.fresh;

import java.time.Instant;

/**
 * Where the board and the clocks stood before a value was worked out: what has changed since is not
 * in it, and what had committed before is.
 *
 * @param tick the board's tick
 * @param nanos on {@link TimeSource#nanos()}
 * @param at the same moment on the wall clock, to show
 */
public record Fence(long tick, long nanos, Instant at) {}
