package dev.warmshelf.fresh;

import dev.warmshelf.lane.Footprint;
import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;

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
      long stamp = cells[i].stamp();
      if (stamp > (i < dataSize ? dataFence : fence) && stamp != own) {
        return false;
      }
    }
    return true;
  }

  /** One lane's stamp. */
  static final class Cell {
    private static final long UNSET = Long.MAX_VALUE;
    private static final VarHandle STAMP;

    static {
      try {
        STAMP = MethodHandles.lookup().findVarHandle(Cell.class, "stamp", long.class);
      } catch (ReflectiveOperationException e) {
        throw new ExceptionInInitializerError(e);
      }
    }

    /** Until somebody has set it, nothing that stands on it is fresh. */
    private volatile long stamp = UNSET;

    long stamp() {
      return (long) STAMP.getAcquire(this);
    }

    boolean isUnset() {
      return stamp == UNSET;
    }

    /** Sets what nobody has set yet. */
    void begin(long first) {
      STAMP.compareAndSet(this, UNSET, first);
    }

    /** What the stamp is, or 0 if nobody has set it: then any number is higher. */
    long seen() {
      long seen = stamp;
      return seen == UNSET ? 0 : seen;
    }

    boolean change(long seen, long number) {
      return STAMP.compareAndSet(this, seen == 0 ? UNSET : seen, number)
          || (seen == 0 && STAMP.compareAndSet(this, 0L, number));
    }
  }
}
