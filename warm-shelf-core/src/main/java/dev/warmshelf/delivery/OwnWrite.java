package dev.warmshelf.delivery;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.lane.Change;
import dev.warmshelf.plan.Footprint;
import java.util.Collection;
import java.util.List;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * A transaction of this process, given to the feed before the commit, so that it is there when the
 * feed meets the transaction's changes. An answer may be made from its result; and it may know by
 * itself what it has changed.
 *
 * <p><b>Told once.</b> A transaction that knows its changes ticks them as soon as its commit has
 * returned: every statement that begins then sees them. The feed meets the same changes later, or
 * has met them already. Whoever comes first ticks them. The other one does not, so that what was
 * loaded between stays. Only if the feed meets more or fewer than the transaction knew of, it ticks
 * all of them.
 *
 * <p>Thread-safe.
 */
public final class OwnWrite {
  private final String transaction;
  private final Footprint footprint;
  private final long fence;
  private final @Nullable List<Change> changes;
  private boolean toldItself;
  private boolean returned;
  private long returnedNanos;
  private volatile long ownTick;

  /**
   * One of which the feed alone can tell what it has changed.
   *
   * @param transaction its name, as in {@link Change#transaction()}
   * @param footprint what the answer depends on; {@link Footprint#NOTHING} if none is made
   * @param fence taken before the statement was sent that gives the answer
   */
  public OwnWrite(String transaction, Footprint footprint, long fence) {
    this(transaction, footprint, fence, null);
  }

  /**
   * The same.
   *
   * @param changes all that it has made; null if the feed alone can tell
   */
  public OwnWrite(
      String transaction, Footprint footprint, long fence, @Nullable List<Change> changes) {
    this.transaction = Objects.requireNonNull(transaction, "transaction");
    this.footprint = Objects.requireNonNull(footprint, "footprint");
    this.fence = fence;
    this.changes = changes == null ? null : List.copyOf(changes);
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

  /** Whether it knows by itself what it has changed. */
  public boolean knowsItsChanges() {
    return changes != null;
  }

  /** The feed has met its changes: ticks them, unless it has told the same ones itself. */
  public synchronized void tick(Board board, Collection<Change> met) {
    if (toldItself && changes != null && changes.size() == met.size()) {
      return;
    }
    long number = board.tickOwn(met, footprint, fence);
    ownTick =
        ownTick == 0
            ? number
            : Board.OVERTAKEN; // a transaction comes in one batch; two are strange
  }

  /**
   * Its commit has returned: ticks the changes that it knows of, unless the feed has met them by
   * now. To be called only then, by who has committed.
   *
   * @param nanos now, on the clock of the feed's marks
   */
  public synchronized void hasReturned(Board board, long nanos) {
    if (changes != null && !changes.isEmpty() && ownTick == 0) {
      toldItself = true;
      ownTick = board.tickAhead(changes, footprint, fence);
    }
    returnedNanos = nanos;
    returned = true;
  }

  /** Whether its commit has returned, and its changes have been ticked. */
  synchronized boolean hasTold() {
    return returned && ownTick != 0;
  }

  /** Whether a look with this mark has met all that it changed. */
  synchronized boolean isOver(long markNanos) {
    return returned && markNanos - returnedNanos > 0;
  }

  /** For {@link Board#isFresh(Footprint, long, long)}; 0 as long as none of its changes was met. */
  public long ownTick() {
    return ownTick;
  }
}
