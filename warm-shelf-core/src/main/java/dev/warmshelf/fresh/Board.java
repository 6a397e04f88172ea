package dev.warmshelf.fresh;

import dev.warmshelf.key.Footprint;
import dev.warmshelf.key.Lane;
import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.util.Collection;
import java.util.concurrent.atomic.AtomicLong;
import org.jspecify.annotations.Nullable;

/**
 * When each lane last changed. Time here is a counter, the tick.
 *
 * <p><b>The invariant.</b> A load takes {@link #fence()} before it sends anything to the database.
 * A change is ticked only when every statement that begins from then on sees it. Hence a load that
 * missed the change took its fence before the tick, and {@link #isFresh} is false for it; it does
 * not matter in which order the load and the tick end, nor when the answer is kept.
 *
 * <p><b>Who writes what.</b> Any thread may tick. A tick takes the next number and then raises the
 * stamps of its lanes to it. Two ticks may reach one stamp in either order, so a stamp is only ever
 * raised (a compare-and-set loop): were it simply set, the lower number could land last and an
 * entry with a fence between the two would look fresh. A reader may see a number taken and the
 * stamps not yet raised; a fence taken then already belongs to a load that sees the change, so
 * nothing is lost.
 *
 * <p><b>The watermark</b> is written after the stamps of everything it covers, and read before the
 * stamps are checked. Both are volatile, so whoever sees the watermark sees those stamps.
 *
 * <p>Stamps live in a fixed array. A lane's hash picks its stamp; two lanes that share one only
 * invalidate each other's answers, never hide a change.
 *
 * <p>Thread-safe and lock-free. A check costs one read per lane and allocates nothing.
 */
public final class Board {
  private static final VarHandle STAMP = MethodHandles.arrayElementVarHandle(long[].class);
  private static final int DEFAULT_STAMPS = 1 << 16;

  private final long[] stamps;
  private final int mask;
  private final AtomicLong ticks = new AtomicLong();
  private final AtomicLong schemaVersion = new AtomicLong();
  private volatile long floor;
  private volatile @Nullable Watermark watermark;

  /** A board of 65,536 stamps: half a mebibyte. */
  public Board() {
    this(DEFAULT_STAMPS);
  }

  /**
   * @param stamps how many stamps to keep, a power of two
   */
  public Board(int stamps) {
    if (Integer.bitCount(stamps) != 1) {
      throw new IllegalArgumentException(
          "A board needs a power of two of stamps, but was given " + stamps + ".");
    }
    this.stamps = new long[stamps];
    this.mask = stamps - 1;
  }

  /** The current tick. Take it before the load's first word to the database. */
  public long fence() {
    return ticks.get();
  }

  /**
   * Notes that lanes have changed. To be called only once every statement that begins from now on
   * sees the changes.
   *
   * @return the tick of the changes
   */
  public long tick(Collection<Lane> lanes) {
    long tick = ticks.incrementAndGet();
    for (Lane lane : lanes) {
      raise((int) lane.hash() & mask, tick);
    }
    return tick;
  }

  /** Notes that anything may have changed: all answers whose load has begun by now are out. */
  public void tickEverything() {
    long tick = ticks.incrementAndGet();
    synchronized (this) {
      floor = Math.max(floor, tick);
    }
  }

  /**
   * Notes that tables, views or functions may mean something else from now on. All answers whose
   * load has begun by now are out, and what is known of statements is to be worked out again.
   */
  public void noteSchemaChange() {
    schemaVersion.incrementAndGet();
    tickEverything();
  }

  /** How often the schema is known to have changed. Take it before asking the catalogue. */
  public long schemaVersion() {
    return schemaVersion.get();
  }

  /** Moves the watermark, after the changes up to it have been ticked. */
  public void advance(Watermark to) {
    watermark = to;
  }

  /** The newest watermark, or null while no feed has delivered anything. */
  public @Nullable Watermark watermark() {
    return watermark;
  }

  /** Whether no lane of the footprint has changed since the fence was taken. */
  public boolean isFresh(Footprint footprint, long fence) {
    if (fence < floor) {
      return false;
    }
    for (int i = 0; i < footprint.size(); i++) {
      if ((long) STAMP.getAcquire(stamps, (int) footprint.hash(i) & mask) > fence) {
        return false;
      }
    }
    return true;
  }

  private void raise(int index, long tick) {
    long seen = (long) STAMP.getVolatile(stamps, index);
    while (seen < tick && !STAMP.compareAndSet(stamps, index, seen, tick)) {
      seen = (long) STAMP.getVolatile(stamps, index);
    }
  }
}
