package dev.warmshelf.store;

import dev.warmshelf.fresh.Fence;
import java.util.Objects;

/**
 * How and when an answer came to be.
 *
 * @param fence from before the load began
 * @param ownTick the tick of the own write that the answer was made from; 0 for a load
 * @param filledNanos when the load ended, on the monotonic clock
 * @param lifetimeNanos how long after that it may be served; {@link Long#MAX_VALUE} for ever
 */
public record Fill(Fence fence, long ownTick, long filledNanos, long lifetimeNanos) {
  /** With a fence. */
  public Fill {
    Objects.requireNonNull(fence, "fence");
  }
}
