package dev.warmshelf.fresh;

import dev.warmshelf.fresh.HeldLanes.Cell;
import dev.warmshelf.plan.Footprint;
import java.lang.invoke.VarHandle;
import java.lang.ref.Reference;
import java.lang.ref.ReferenceQueue;
import java.lang.ref.WeakReference;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.LongUnaryOperator;
import org.jspecify.annotations.Nullable;

/**
 * The lanes that somebody holds on to, by their hashes of 64 bits. A cell goes when nobody holds it
 * any more.
 *
 * <p><b>The invariant.</b> A tick raises the board's array and then looks for the cell; who holds a
 * lane puts the cell here and then, if it is new, gives it the array's stamp. There is a full fence
 * between the two on either side, so one of them sees the other: either the tick finds the cell, or
 * the cell begins with a stamp that has the tick in it. A new cell that a tick meets before it has
 * begun takes the tick's number, which is the higher.
 *
 * <p>Thread-safe.
 */
final class Cells {
  private final ConcurrentHashMap<Long, Ref> refs = new ConcurrentHashMap<>();
  private final ReferenceQueue<Cell> gone = new ReferenceQueue<>();

  private static final class Ref extends WeakReference<Cell> {
    private final Long hash;

    Ref(Long hash, Cell cell, ReferenceQueue<Cell> queue) {
      super(cell, queue);
      this.hash = hash;
    }
  }

  /** How many there are, some of which may be gone. */
  int size() {
    return refs.size();
  }

  /**
   * @param stamps of the array, by hash
   */
  HeldLanes hold(Footprint footprint, LongUnaryOperator stamps) {
    forgetGone();
    Cell[] cells = new Cell[footprint.size()];
    for (int i = 0; i < cells.length; i++) {
      cells[i] = cell(footprint.hash(i));
    }
    VarHandle.fullFence();
    for (int i = 0; i < cells.length; i++) {
      if (cells[i].isUnset()) {
        cells[i].begin(stamps.applyAsLong(footprint.hash(i)));
      }
    }
    return new HeldLanes(cells, footprint.dataSize());
  }

  private Cell cell(long hash) {
    Cell found = find(hash);
    if (found != null) {
      return found;
    }
    Cell[] made = new Cell[1];
    refs.compute(
        hash,
        (key, there) -> {
          made[0] = there == null ? null : there.get();
          if (there != null && made[0] != null) {
            return there;
          }
          made[0] = new Cell();
          return new Ref(key, made[0], gone);
        });
    return made[0];
  }

  /** The lane's cell, if anybody holds it. */
  @Nullable Cell find(long hash) {
    Ref ref = refs.get(hash);
    return ref == null ? null : ref.get();
  }

  private void forgetGone() {
    for (Reference<?> ref = gone.poll(); ref != null; ref = gone.poll()) {
      refs.remove(((Ref) ref).hash, ref);
    }
  }
}
