package dev.warmshelf.store;

import dev.warmshelf.fresh.Fence;
import dev.warmshelf.shelf.EntryView.LoadedBy;
import java.util.Objects;
import java.util.concurrent.atomic.LongAdder;
import org.jspecify.annotations.Nullable;

/**
 * How and when an answer came to be, and what becomes of it.
 *
 * @param fence from before the load began
 * @param ownTick the tick of the own write that the answer was made from; 0 for a load
 * @param filledNanos when the load ended, on the monotonic clock
 * @param life how long it may be served
 * @param renewal how it is renewed once it is out of date
 * @param by who has loaded it
 * @param given is told of each hit, as the load time of the answer; null if nobody wants to know
 */
public record Fill(
    Fence fence,
    long ownTick,
    long filledNanos,
    Life life,
    Renewable renewal,
    LoadedBy by,
    @Nullable LongAdder given) {
  /** All of it. */
  public Fill {
    Objects.requireNonNull(fence, "fence");
    Objects.requireNonNull(life, "life");
    Objects.requireNonNull(renewal, "renewal");
    Objects.requireNonNull(by, "by");
  }

  /** Of an answer that this process has loaded. */
  public Fill(Fence fence, long ownTick, long filledNanos, Life life, Renewable renewal) {
    this(fence, ownTick, filledNanos, life, renewal, LoadedBy.THIS_PROCESS, null);
  }

  /**
   * How long an answer may be served, in nanoseconds; {@link Long#MAX_VALUE} for ever.
   *
   * @param sinceFill after it was filled
   * @param sinceUse after its last use
   */
  public record Life(long sinceFill, long sinceUse) {
    /** For ever. */
    public static final Life WITHOUT_END = new Life(Long.MAX_VALUE, Long.MAX_VALUE);
  }

  /**
   * How an answer is renewed.
   *
   * @param byCaller whether a caller who finds it out of date needs it still, to look at it again
   *     or mend it
   * @param ahead renews it before anybody asks, on another thread; null if that is not done
   */
  public record Renewable(boolean byCaller, @Nullable Runnable ahead) {
    /** It is loaded again. */
    public static final Renewable NOT = new Renewable(false, null);
  }
}
