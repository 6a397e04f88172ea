package dev.warmshelf.fresh;

import dev.warmshelf.lane.Footprint;
import dev.warmshelf.lane.Lane;
import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.time.Duration;
import java.util.Collection;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicLong;
import org.jspecify.annotations.Nullable;

/**
 * When each lane last changed. Time here is a counter, the tick.
 *
 * <p><b>The invariant.</b> A load takes {@link #lastTick()} before it sends anything to the
 * database. A change is ticked only when every statement that begins from then on sees it. Hence a
 * load that missed the change took its fence before the tick, and {@link #isFresh} is false for it;
 * it does not matter in which order the load and the tick end, nor when the answer is kept.
 *
 * <p><b>Who writes what.</b> Any thread may tick. A tick takes the next number and then raises the
 * stamps of its lanes to it. Two ticks may reach one stamp in either order, so a stamp is only ever
 * raised (a compare-and-set loop): were it simply set, the lower number could land last and an
 * entry with a fence between the two would look fresh. More than that, every tick leaves its stamps
 * higher than it found them: one that comes late takes another number. A reader may see a number
 * taken and the stamps not yet raised; a fence taken then already belongs to a load that sees the
 * change, so nothing is lost.
 *
 * <p><b>Own writes</b> have a number of their own ({@link #tickOwn}). An answer made from what the
 * write returned was known before that tick, so the tick must not invalidate it, but any other one
 * since its fence must. It does: the own number replaced a stamp that was not above the fence, in
 * one compare-and-set, so it hides nothing; and whatever comes after it leaves the stamp higher.
 *
 * <p><b>The watermark</b> is written after the stamps of everything it covers, and read before the
 * stamps are checked. Both are volatile, so whoever sees the watermark sees those stamps.
 *
 * <p>Stamps live in a fixed array. A lane's hash picks its stamp; two lanes that share one only
 * invalidate each other's answers, never hide a change.
 *
 * <p>Thread-safe. Ticks, fences and checks are lock-free; only waiting for the watermark is not. A
 * check costs one read per lane and allocates nothing.
 */
public final class Board {
  private static final VarHandle STAMP = MethodHandles.arrayElementVarHandle(long[].class);
  private static final int DEFAULT_STAMPS = 1 << 19;

  /** Instead of an own number: somebody else changed the same meanwhile. */
  public static final long OVERTAKEN = -1;

  private final long[] stamps;
  private final int mask;
  private final AtomicLong ticks = new AtomicLong();
  private final AtomicLong schemaVersion = new AtomicLong();
  private volatile long floor;
  private volatile @Nullable Watermark watermark;
  private final AtomicInteger waiting = new AtomicInteger();
  private final Object delivered = new Object();

  /** A board of 524,288 stamps: four mebibytes. */
  public Board() {
    this(DEFAULT_STAMPS);
  }

  /**
   * @param stamps how many stamps to keep, a power of two
   * @throws IllegalArgumentException if it is not
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
  public long lastTick() {
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
      tick = raise((int) lane.hash() & mask, tick);
    }
    return tick;
  }

  /**
   * Notes the changes of one transaction of this process, as {@link #tick} does.
   *
   * @param footprint what an answer made from the transaction's result depends on
   * @param fence taken before the statement that gave that result was sent
   * @return a number for {@link #isFresh(Footprint, long, long)}, or {@link #OVERTAKEN} if somebody
   *     else has changed one of the footprint's lanes since the fence
   */
  public long tickOwn(Collection<Lane> lanes, Footprint footprint, long fence) {
    long own = ticks.incrementAndGet();
    boolean overtaken = false;
    for (Lane lane : lanes) {
      int index = (int) lane.hash() & mask;
      long seen = (long) STAMP.getVolatile(stamps, index);
      while (seen < own && !STAMP.compareAndSet(stamps, index, seen, own)) {
        seen = (long) STAMP.getVolatile(stamps, index);
      }
      if (seen > own) {
        raise(index, own);
      }
      overtaken |= seen > fence && seen != own && standsOn(footprint, index);
    }
    return overtaken ? OVERTAKEN : own;
  }

  private boolean standsOn(Footprint footprint, int index) {
    for (int i = 0; i < footprint.size(); i++) {
      if (((int) footprint.hash(i) & mask) == index) {
        return true;
      }
    }
    return false;
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
    if (waiting.get() > 0) { // counted before they look at the watermark, so none is missed
      synchronized (delivered) {
        delivered.notifyAll();
      }
    }
  }

  /**
   * Waits until the watermark has reached a moment.
   *
   * @param nanos the moment, on {@link TimeSource#nanos()}
   * @return whether it has; not if the thread was interrupted or the time was over
   */
  public boolean awaitWatermark(long nanos, Duration atMost) {
    waiting.incrementAndGet();
    try {
      synchronized (delivered) {
        long deadline = System.nanoTime() + atMost.toNanos();
        while (!hasReached(nanos)) {
          long left = deadline - System.nanoTime();
          if (left <= 0) {
            return false;
          }
          TimeUnit.NANOSECONDS.timedWait(delivered, Math.max(left, 1_000_000));
        }
        return true;
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return false;
    } finally {
      waiting.decrementAndGet();
    }
  }

  private boolean hasReached(long nanos) {
    Watermark now = watermark;
    return now != null && now.nanos() - nanos >= 0;
  }

  /** The newest watermark, or null while no feed has delivered anything. */
  public @Nullable Watermark watermark() {
    return watermark;
  }

  /** Whether no lane of the footprint has changed since the fence was taken. */
  public boolean isFresh(Footprint footprint, long fence) {
    return isFresh(footprint, fence, 0);
  }

  /** Whether this lane has not changed since the fence was taken. */
  public boolean isFresh(Lane lane, long fence) {
    return fence >= floor && (long) STAMP.getAcquire(stamps, (int) lane.hash() & mask) <= fence;
  }

  /**
   * The same for an answer that was made from an own write.
   *
   * @param own what {@link #tickOwn} returned for that write; 0 if there was none
   */
  public boolean isFresh(Footprint footprint, long fence, long own) {
    if (fence < floor || own == OVERTAKEN) {
      return false;
    }
    for (int i = 0; i < footprint.size(); i++) {
      long stamp = (long) STAMP.getAcquire(stamps, (int) footprint.hash(i) & mask);
      if (stamp > fence && stamp != own) {
        return false;
      }
    }
    return true;
  }

  /** Leaves the stamp higher than it was; returns the number it got in the end. */
  private long raise(int index, long tick) {
    long number = tick;
    long seen = (long) STAMP.getVolatile(stamps, index);
    while (seen != number) { // equal: two lanes of one tick share the stamp
      if (seen > number) {
        number = ticks.incrementAndGet();
      } else if (STAMP.compareAndSet(stamps, index, seen, number)) {
        return number;
      }
      seen = (long) STAMP.getVolatile(stamps, index);
    }
    return number;
  }
}
