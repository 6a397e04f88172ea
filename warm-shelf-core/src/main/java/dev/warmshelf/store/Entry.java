package dev.warmshelf.store;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.fresh.LookBack;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Footprint;
import dev.warmshelf.lane.Interest;
import java.util.Objects;
import java.util.OptionalLong;
import org.jspecify.annotations.Nullable;

/**
 * A kept answer and what is needed to know whether it still holds. All of it is fixed at the fill,
 * but for two marks of use, which are plain fields on purpose: a lost update of one costs at most a
 * slightly worse choice of what to evict, while an atomic one would make readers of a popular entry
 * wait for each other.
 */
public final class Entry {
  /** This object, and its places in the store's map and list. */
  private static final int OWN_BYTES = 96 + 32 + 24;

  private final Key key;
  private final @Nullable Object value;
  private final Footprint footprint;
  private final long fence;
  private final long ownTick;
  private final long loadBeganNanos;
  private final long loadNanos;
  private final long filledNanos;
  private final long lifetimeNanos;

  /** Born true: a new entry must outlive one round of eviction to have a chance of being read. */
  private boolean used = true;

  private boolean everUsed;

  /** The tick up to which no change of data has touched the answer; only ever raised. */
  private volatile long dataFence;

  /**
   * {@link Board#settled} as it was when the entry was last found fresh; a lost update costs time.
   */
  private long foundFreshAt = -1;

  /** An entry that has just been filled. */
  public Entry(Key key, @Nullable Object value, Footprint footprint, Fill fill) {
    this(key, value, footprint, fill, fill.filledNanos() - fill.fence().nanos());
  }

  private Entry(Key key, @Nullable Object value, Footprint footprint, Fill fill, long loadNanos) {
    this.key = Objects.requireNonNull(key, "key");
    this.value = value;
    this.footprint = Objects.requireNonNull(footprint, "footprint");
    // Copied: a hit reads them, and should not have to go further than here.
    this.fence = fill.fence().tick();
    this.dataFence = fence;
    this.ownTick = fill.ownTick();
    this.loadBeganNanos = fill.fence().nanos();
    this.loadNanos = loadNanos;
    this.filledNanos = fill.filledNanos();
    this.lifetimeNanos = fill.lifetimeNanos();
  }

  /**
   * This entry with what has changed put in its place. It is as old as this one, and worth as much.
   * Only its fence for data moves up: what invalidates more than the data must still find all of it
   * that was not asked for anew.
   *
   * @param upTo up to which all changes of data were looked at, and when asking began
   */
  public Entry mended(@Nullable Object mended, Footprint lanes, Fence upTo) {
    Fence same = new Fence(fence, upTo.nanos());
    Fill fill = new Fill(same, ownTick, filledNanos, lifetimeNanos);
    Entry entry = new Entry(key, mended, lanes, fill, loadNanos);
    entry.holdsThrough(upTo.tick());
    return entry;
  }

  /** What was asked. */
  public Key key() {
    return key;
  }

  /** The answer. */
  public @Nullable Object value() {
    return value;
  }

  /** What the answer depends on. */
  public Footprint footprint() {
    return footprint;
  }

  /** The board's tick before the load began. */
  public long fence() {
    return fence;
  }

  /** Whether nothing that the answer depends on has changed since it was read. */
  public boolean isFresh(Board board) {
    long settled = board.settled();
    if (foundFreshAt == settled) {
      return true;
    }
    if (!board.isFresh(footprint, fence, dataFence, ownTick)) {
      return false;
    }
    foundFreshAt = settled;
    return true;
  }

  /** The same if it is known what has changed of the data up to a tick. */
  public boolean isFreshSince(Board board, long tick) {
    return board.isFresh(footprint, fence, tick, ownTick);
  }

  /** The changes since the answer was last known to hold that could make a difference to it. */
  public LookBack lookBack(Board board, Interest interest) {
    return board.lookBack(interest, dataFence, ownTick);
  }

  /**
   * Notes that no change of data up to a tick touches the answer.
   *
   * @param tick up to which that was looked at
   */
  public void holdsThrough(long tick) {
    synchronized (this) {
      dataFence = Math.max(dataFence, tick);
    }
  }

  /** When the load ended, on the monotonic clock. */
  public long filledNanos() {
    return filledNanos;
  }

  /** How long after the fill it may be served; {@link Long#MAX_VALUE} for ever. */
  public long lifetimeNanos() {
    return lifetimeNanos;
  }

  /** How long the load took. */
  public long loadNanos() {
    return loadNanos;
  }

  /** When the load began, or what was last asked of it, on the monotonic clock. */
  public long loadBeganNanos() {
    return loadBeganNanos;
  }

  /**
   * About how many bytes the entry takes in memory, with its key and lanes; empty if the value does
   * not tell.
   */
  public OptionalLong bytes() {
    return value instanceof Content content
        ? OptionalLong.of(content.bytes() + key.bytes() + footprint.bytes() + OWN_BYTES)
        : OptionalLong.empty();
  }

  /** Whether it is older than it may be served, at this moment of the monotonic clock. */
  public boolean isExpired(long nowNanos) {
    return nowNanos - filledNanos >= lifetimeNanos;
  }

  /** Marks the entry as used. Writes only where that changes something. */
  public void use() {
    if (!used) {
      used = true;
    }
    if (!everUsed) {
      everUsed = true;
    }
  }

  /** Whether the entry was used since the last call, and forgets it. */
  boolean forgetUse() {
    boolean was = used;
    used = false;
    return was;
  }

  /** Whether the entry has been read at all since it was filled. */
  public boolean wasEverUsed() {
    return everUsed;
  }
}
