package dev.warmshelf.measure.figures;

import java.time.Duration;
import java.util.Set;

/**
 * How to run a comparison.
 *
 * @param ways to compare, beside direct reads; at least one
 * @param warmUp how long before anything is counted, the ways sharing it equally
 * @param time how long in all after that, the ways sharing it equally
 * @param traffic how hard to press
 * @param ttl of the way that trusts in nothing else
 * @param seed of the request streams and of the writer
 */
public record RunSettings(
    Set<WayKind> ways, Duration warmUp, Duration time, Traffic traffic, Duration ttl, long seed) {
  /** Keeps a copy of the set. */
  public RunSettings {
    ways = Set.copyOf(ways);
  }
}
