package dev.warmshelf.fresh;

import dev.warmshelf.fresh.HeldLanes.Cell;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.plan.Interest;
import dev.warmshelf.time.TimeSource;
import dev.warmshelf.time.Watermark;
import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
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
 * <p><b>The second look.</b> Of the data's changes the board remembers the latest, in a trail, and
 * can say which of them could make a difference to an answer ({@link #lookBack}). An answer that
 * none touches is as fresh as the trail is complete; its data lanes, and only these, are checked
 * from there on.
 *
 * <p><b>Settled</b> ({@link #settled}) is a count that goes up once all stamps of a tick are
 * raised. While it stands still, what was found fresh is fresh, and need not be checked lane by
 * lane.
 *
 * <p>Stamps live in a fixed array. A lane's hash picks two of them, and it has changed when both
 * say so: lanes that share both only invalidate each other's answers, never hide a change. The
 * lanes that kept answers stand on have stamps of their own beside ({@link #hold}), so what is kept
 * stays fresh however many others change.
 *
 * <p>Thread-safe. Ticks, fences and checks are lock-free; only waiting for the watermark is not. A
 * check costs one read per lane and allocates nothing.
 */
public final class Board {
  private static final VarHandle STAMP = MethodHandles.arrayElementVarHandle(long[].class);
  private static final int DEFAULT_STAMPS = 1 << 19;

  /** Instead of an own number: somebody else changed the same meanwhile. */
  public static final long OVERTAKEN = -1;

  private final SharedStamps stamps;
  private final int mask;
  private final AtomicLong ticks = new AtomicLong();
  private final AtomicLong schemaVersion = new AtomicLong();
  private final AtomicLong settled = new AtomicLong();
  private final AtomicLong untold = new AtomicLong();
  private final Trail trail = new Trail();
  private final Cells cells = new Cells();
  private final ClearedMoments cleared = new ClearedMoments();
  private volatile long floor;

  /** The feed's thread, while it clears. */
  private volatile @Nullable Thread teller;

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
    this.stamps = new SharedStamps(stamps);
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
    List<Lane> tables = lanes.stream().filter(Lane::isData).map(Lane::table).distinct().toList();
    return settle(
        raise(
            lanes,
            tables.isEmpty()
                ? ticks.incrementAndGet()
                : trail.noteAtLarge(ticks, watermark, tables)));
  }

  /** Notes changes of tables, as {@link #tick} does, and remembers them for a while. */
  public long tickChanges(Collection<Change> changes) {
    return settle(raise(lanesOf(changes), trail.note(ticks, watermark, changes)));
  }

  private static Set<Lane> lanesOf(Collection<Change> changes) {
    Set<Lane> lanes = new HashSet<>();
    changes.forEach(change -> lanes.addAll(change.lanes()));
    return lanes;
  }

  private long raise(Collection<Lane> lanes, long first) {
    long tick = first;
    long[] hashes = lanes.stream().mapToLong(Lane::hash).toArray();
    for (long hash : hashes) {
      tick = raise(stamps, one(hash), tick);
      tick = raise(stamps, other(hash), tick);
    }
    VarHandle.fullFence(); // see Cells
    for (long hash : hashes) {
      Cell cell = cells.find(hash);
      tick = cell == null ? tick : raise(cell, 0, tick);
    }
    return tick;
  }

  private int one(long hash) {
    return (int) hash & mask;
  }

  private int other(long hash) {
    return (int) (hash >>> Integer.SIZE) & mask;
  }

  /** The lower of a lane's two: it is raised with either. */
  private long stamp(long hash) {
    return Math.min(stamps.seen(one(hash)), stamps.seen(other(hash)));
  }

  /**
   * Gives lanes stamps of their own, for as long as what this returns is held. Taken before a
   * load's fence, they tell exactly what has changed since; taken later, what has changed before
   * counts by the array.
   */
  public HeldLanes hold(Footprint footprint) {
    return cells.hold(footprint, this::stamp);
  }

  /** How many lanes have a stamp of their own. */
  public int heldLanes() {
    return cells.size();
  }

  private long settle(long tick) {
    settled.incrementAndGet();
    return tick;
  }

  /**
   * A count that goes up whenever a tick is over. What was found fresh after it was read is fresh
   * as long as it stays what it is.
   */
  public long settled() {
    return settled.get();
  }

  /**
   * Notes the changes of one transaction of this process, as {@link #tickChanges} does.
   *
   * @param footprint what an answer made from the transaction's result depends on
   * @param fence taken before the statement that gave that result was sent
   * @return a number for {@link #isFresh(Footprint, long, long)}, or {@link #OVERTAKEN} if somebody
   *     else has changed one of the footprint's lanes since the fence
   */
  public long tickOwn(Collection<Change> changes, Footprint footprint, long fence) {
    long own = trail.note(ticks, watermark, changes);
    boolean overtaken = false;
    Set<Lane> lanes = lanesOf(changes);
    for (Lane lane : lanes) {
      // Either of the two tells: somebody else may have raised one, and not yet the other.
      boolean changed = replace(stamps, one(lane.hash()), own, fence);
      changed |= replace(stamps, other(lane.hash()), own, fence);
      overtaken |= changed && footprint.contains(lane.hash());
    }
    VarHandle.fullFence();
    for (Lane lane : lanes) {
      Cell cell = cells.find(lane.hash());
      overtaken |= cell != null && replace(cell, 0, own, fence) && footprint.contains(lane.hash());
    }
    return settle(overtaken ? OVERTAKEN : own);
  }

  /**
   * The same before the feed has told of them. It will tell later.
   *
   * @return as {@link #tickOwn} does
   */
  public long tickAhead(Collection<Change> changes, Footprint footprint, long fence) {
    untold.incrementAndGet(); // first: see PlaceHistory
    return tickOwn(changes, footprint, fence);
  }

  /**
   * Puts an own number in place of a lower one; whether somebody else's since the fence was there.
   */
  private boolean replace(Stamps in, int index, long own, long fence) {
    long seen = in.seen(index);
    while (seen < own && !in.change(index, seen, own)) {
      seen = in.seen(index);
    }
    if (seen > own) {
      raise(in, index, own);
    }
    return seen > fence && seen != own;
  }

  /**
   * What is remembered of the changes since a tick that could make a difference to an answer.
   *
   * @param since the answer's fence for its data
   * @param own the number of the own write that the answer was made from; 0 if there was none
   * @param most how many changes of a table to look at; if there are more, it is not complete
   */
  public LookBack lookBack(Interest interest, long since, long own, int most) {
    long through = trail.completeThrough(ticks); // first: what comes now has a later tick
    Touching touching = new Touching(interest);
    boolean complete = own != OVERTAKEN;
    for (Lane table : interest.tables()) {
      complete &= trail.walk(table, since, own, most, touching);
    }
    return touching.lookBack(through, complete);
  }

  /** Whether all changes of data since a tick are still remembered. */
  public boolean remembersSince(long tick) {
    return trail.reachesBackTo(tick);
  }

  /**
   * Collects the changes that make a difference. Those of one batch, and of an own write, are noted
   * in no certain order, so none counts as earlier than another.
   */
  private static final class Touching implements Trail.Visitor {
    private final Interest interest;
    private final List<Change> found = new ArrayList<>();
    private final List<Change> possible = new ArrayList<>();
    private @Nullable Watermark covered;

    Touching(Interest interest) {
      this.interest = interest;
    }

    @Override
    public void visit(Change change, @Nullable Watermark before) {
      if (!interest.mayBeTouchedBy(change)) {
        return;
      }
      possible.add(change);
      if (interest.isTouchedBy(change)) {
        if (found.isEmpty() || before == null || isLater(covered, before)) {
          covered = before;
        }
        found.add(change);
      }
    }

    LookBack lookBack(long through, boolean complete) {
      List<Change> sinceTouched = found.isEmpty() ? List.of() : possible;
      return new LookBack(through, complete, found, sinceTouched, covered);
    }

    private static boolean isLater(@Nullable Watermark one, Watermark other) {
      return one != null && one.nanos() - other.nanos() > 0;
    }
  }

  /** Notes that anything may have changed: all answers whose load has begun by now are out. */
  public void tickEverything() {
    long tick = ticks.incrementAndGet();
    synchronized (this) {
      floor = Math.max(floor, tick);
    }
    settle(tick);
  }

  /**
   * Puts everything out for a commit of this process of which the feed has not told in time. It
   * will tell later.
   */
  public void tickUntold() {
    untold.incrementAndGet(); // first: see PlaceHistory
    tickEverything();
  }

  /** How often something was ticked of which the feed had not told. */
  public long untold() {
    return untold.get();
  }

  /**
   * Notes that tables, views or functions may mean something else from now on. All answers whose
   * load has begun by now are out, and what is known of statements is to be worked out again.
   */
  public void noteSchemaChange() {
    schemaVersion.incrementAndGet();
    tickEverything();
  }

  /**
   * Notes that somebody is about to tick what no change of the data has caused: to clear something.
   *
   * @param nanos on {@link TimeSource#nanos()}
   */
  public void noteClearing(long nanos) {
    if (!Thread.currentThread().equals(teller)) {
      cleared.add(nanos, ticks.get());
    }
  }

  /**
   * Clears what the feed says, on the feed's thread. That has a place among the changes, which
   * tells better than the clock what was loaded before it.
   */
  public void clearAsTold(Runnable clearing) {
    teller = Thread.currentThread();
    try {
      clearing.run();
    } finally {
      teller = null;
    }
  }

  /**
   * The fence of an answer that was loaded elsewhere.
   *
   * @param tick such that each change that the answer may lack has a later one
   * @param beganNanos when its load began, at the latest
   */
  public Fence fenceOfOthers(long tick, long beganNanos) {
    return new Fence(cleared.lower(tick, beganNanos), beganNanos);
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

  /** The tick of the last change that may have been one of this lane; for a person to read. */
  public long tickOf(Lane lane) {
    return stamp(lane.hash());
  }

  /** Whether this lane has not changed since the fence was taken. */
  public boolean isFresh(Lane lane, long fence) {
    return isFresh(lane, fence, fence, 0);
  }

  /** The same of an answer's lane, as {@link #isFresh(Footprint, long, long, long)} has it. */
  public boolean isFresh(Lane lane, long fence, long dataFence, long own) {
    return fence >= floor
        && own != OVERTAKEN
        && !isLater(lane.hash(), lane.isData() ? dataFence : fence, own);
  }

  private boolean isLater(long hash, long upTo, long own) {
    return stamps.isLater(one(hash), upTo, own) && stamps.isLater(other(hash), upTo, own);
  }

  /**
   * The same for an answer that was made from an own write.
   *
   * @param own what {@link #tickOwn} returned for that write; 0 if there was none
   */
  public boolean isFresh(Footprint footprint, long fence, long own) {
    return isFresh(footprint, fence, fence, own);
  }

  /**
   * The same for an answer that a second look has found untouched.
   *
   * @param dataFence the tick up to which no change of data has touched it
   */
  public boolean isFresh(Footprint footprint, long fence, long dataFence, long own) {
    if (fence < floor || own == OVERTAKEN) {
      return false;
    }
    int data = footprint.dataSize();
    for (int i = 0; i < footprint.size(); i++) {
      if (isLater(footprint.hash(i), i < data ? dataFence : fence, own)) {
        return false;
      }
    }
    return true;
  }

  /** The same by the lanes' own stamps. */
  public boolean isFresh(HeldLanes lanes, long fence, long dataFence, long own) {
    return fence >= floor && own != OVERTAKEN && lanes.areFresh(fence, dataFence, own);
  }

  /** Leaves the stamp higher than it was; returns the number it got in the end. */
  private long raise(Stamps in, int index, long tick) {
    long number = tick;
    long seen = in.seen(index);
    while (seen != number) { // equal: two lanes of one tick share the stamp
      if (seen > number) {
        number = ticks.incrementAndGet();
      } else if (in.change(index, seen, number)) {
        return number;
      }
      seen = in.seen(index);
    }
    return number;
  }

  /** Stamps that are only ever raised: the array's, or a lane's own, which has one index. */
  interface Stamps {
    /** Lower than any number. */
    long LOWEST = -1;

    /** What the stamp is. */
    long seen(int index);

    /** Sets it to a number, if it is still what was seen. */
    boolean change(int index, long seen, long number);
  }

  /** The array. */
  private static final class SharedStamps implements Stamps {
    private final long[] stamps;

    SharedStamps(int count) {
      this.stamps = new long[count];
    }

    @Override
    public long seen(int index) {
      return (long) STAMP.getVolatile(stamps, index);
    }

    @Override
    public boolean change(int index, long seen, long number) {
      return STAMP.compareAndSet(stamps, index, seen, number);
    }

    boolean isLater(int index, long fence, long own) {
      long stamp = (long) STAMP.getAcquire(stamps, index);
      return stamp > fence && stamp != own;
    }
  }
}
