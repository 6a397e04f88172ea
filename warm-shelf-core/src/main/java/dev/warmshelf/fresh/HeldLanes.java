package dev.warmshelf.fresh;

import dev.warmshelf.plan.Footprint;
import java.util.concurrent.atomic.AtomicLong;

/**
 * The lanes of a footprint, each with a stamp of its own that is exact as long as this is held.
 *
 * <p>Thread-safe; the stamps are the board's to write.
 */
public final class HeldLanes {
  private final Cell[] cells;
  private final int dataSize;

  HeldLanes(Cell[] cells, int dataSize) {
    this.cells = cells;
    this.dataSize = dataSize;
  }

  /** Whether a lane's stamp is as it may be: see {@link Board#isFresh(Footprint, long, long)}. */
  boolean areFresh(long fence, long dataFence, long own) {
    for (int i = 0; i < cells.length; i++) {
      long stamp = cells[i].getAcquire();
      if (stamp > (i < dataSize ? dataFence : fence) && stamp != own) {
        return false;
      }
    }
    return true;
  }

  /** One lane's stamp. Until somebody has set it, nothing that stands on it is fresh. */
  static final class Cell extends AtomicLong implements Board.Stamps {
    private static final long serialVersionUID = 1;
    private static final long UNSET = Long.MAX_VALUE;

    Cell() {
      super(UNSET);
    }

    boolean isUnset() {
      return get() == UNSET;
    }

    /** Sets what nobody has set yet. */
    void begin(long first) {
      compareAndSet(UNSET, first);
    }

    /** What the stamp is, or {@link #LOWEST} if nobody has set it. */
    @Override
    public long seen(int index) {
      long seen = get();
      return seen == UNSET ? LOWEST : seen;
    }

    @Override
    public boolean change(int index, long seen, long number) {
      return compareAndSet(seen == LOWEST ? UNSET : seen, number);
    }
  }
}
