package dev.warmshelf.spi.feed;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Footprint;
import java.util.Collection;
import java.util.Objects;

/**
 * A transaction of this process, from whose result an answer is to be made. Given to the feed
 * before the commit, so that it is there when the feed meets the transaction's changes.
 *
 * <p>Thread-safe.
 */
public final class OwnWrite {
  private final String transaction;
  private final Footprint footprint;
  private final long fence;
  private volatile long ownTick;

  /**
   * @param transaction its name, as in {@link Change#transaction()}
   * @param footprint what the answer depends on
   * @param fence taken before the statement was sent that gives the answer
   */
  public OwnWrite(String transaction, Footprint footprint, long fence) {
    this.transaction = Objects.requireNonNull(transaction, "transaction");
    this.footprint = Objects.requireNonNull(footprint, "footprint");
    this.fence = fence;
  }

  /** Its name, as the database calls it. */
  public String transaction() {
    return transaction;
  }

  /** What the answer depends on. */
  public Footprint footprint() {
    return footprint;
  }

  /** The board's tick before the statement was sent. */
  public long fence() {
    return fence;
  }

  /** Ticks the transaction's changes as an own write. */
  public void tick(Board board, Collection<Change> changes) {
    long number = board.tickOwn(changes, footprint, fence);
    ownTick =
        ownTick == 0
            ? number
            : Board.OVERTAKEN; // a transaction comes in one batch; two are strange
  }

  /** For {@link Board#isFresh(Footprint, long, long)}; 0 as long as none of its changes was met. */
  public long ownTick() {
    return ownTick;
  }
}
