package dev.warmshelf.store;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.fresh.HeldLanes;
import dev.warmshelf.fresh.LookBack;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.plan.Interest;
import dev.warmshelf.shelf.EntryView.LoadedBy;
import dev.warmshelf.store.Fill.Life;
import dev.warmshelf.store.Fill.Renewable;
import dev.warmshelf.time.Watermark;
import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.util.Objects;
import java.util.concurrent.atomic.LongAdder;
import org.jspecify.annotations.Nullable;

/**
 * A kept answer and what is needed to know whether it still holds. All of it is fixed at the fill,
 * but for marks of use, which are written without order on purpose: a lost update of one costs at
 * most a slightly worse choice of what leaves, while an atomic one would make readers of a popular
 * entry wait for each other. For the same reason uses within one step of the coarse clock count as
 * one.
 */
public final class Entry {
  /** This object, its slot with the uses, and its places in the store's map and list. */
  private static final int OWN_BYTES = 112 + 8 + 40 + 24 + 32 + 12;

  /** To look at a change takes a third of this, so that a look takes a third of a load at most. */
  private static final int NANOS_A_CHANGE = 200;

  private static final int LEAST_LOOKED_AT = 64;

  private static final VarHandle USED_AT;

  static {
    try {
      USED_AT = MethodHandles.lookup().findVarHandle(Entry.class, "usedAt", long.class);
    } catch (ReflectiveOperationException e) {
      throw new ExceptionInInitializerError(e);
    }
  }

  private final Key key;
  private final @Nullable Object value;
  private final Footprint footprint;
  private final long fence;
  private final long ownTick;
  private final long loadBeganNanos;
  private final long loadNanos;
  private final long filledNanos;
  private final long lifetimeNanos;
  private final long idleNanos;
  private final Renewable renewal;
  private final LoadedBy by;
  private final @Nullable LongAdder given;

  /** Of the coarse clock; before the first use, when it was filled. */
  @SuppressWarnings("UnusedVariable") // by its handle
  private long usedAt;

  private int uses;

  /** The tick up to which no change of data has touched the answer; only ever raised. */
  private volatile long dataFence;

  /** Its lanes' own stamps, from when it is kept; set before others see the entry. */
  private @Nullable HeldLanes held;

  /** What was last found out about the changes that the answer misses; null if it misses none. */
  private volatile @Nullable Missing missing;

  /**
   * @param since {@link #dataFence} then
   * @param through the tick up to which was looked
   * @param covered up to when no change is missing
   */
  private record Missing(long since, long through, Watermark covered) {}

  /**
   * {@link Board#settled} as it was when the entry was last found fresh; a lost update costs time.
   */
  private long foundFreshAt = -1;

  /** An entry that has just been filled. */
  public Entry(Key key, @Nullable Object value, Footprint footprint, Fill fill) {
    this(key, value, footprint, fill, fill.filledNanos() - fill.fence().nanos());
  }

  /**
   * One that stands on a fence from before its load.
   *
   * @param loadNanos how long that took
   */
  public Entry(Key key, @Nullable Object value, Footprint footprint, Fill fill, long loadNanos) {
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
    this.lifetimeNanos = fill.life().sinceFill();
    this.idleNanos = fill.life().sinceUse();
    this.renewal = fill.renewal();
    this.by = fill.by();
    this.given = fill.given();
    this.usedAt = filledNanos;
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
    Life life = new Life(lifetimeNanos, idleNanos);
    Fill fill = new Fill(same, ownTick, filledNanos, life, renewal, by, given);
    Entry entry = new Entry(key, mended, lanes, fill, loadNanos);
    entry.holdsThrough(upTo.tick());
    USED_AT.setOpaque(entry, usedAtNanos());
    return entry;
  }

  /** About how many bytes a value takes in memory, kept or not. */
  public static long bytesOf(@Nullable Object value) {
    return Weight.of(value);
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
    if (!isFreshSince(board, dataFence)) {
      return false;
    }
    foundFreshAt = settled;
    return true;
  }

  /** Gives its lanes stamps of their own; before others see it. */
  public void hold(Board board) {
    if (held == null) {
      held = board.hold(footprint);
    }
  }

  /** The same if it is known what has changed of the data up to a tick. */
  public boolean isFreshSince(Board board, long tick) {
    HeldLanes lanes = held;
    return lanes == null
        ? board.isFresh(footprint, fence, tick, ownTick)
        : board.isFresh(lanes, fence, tick, ownTick);
  }

  /**
   * Whether a lane of its footprint has changed since the answer was read, for all it may matter.
   */
  public boolean isOutBy(Board board, Lane lane) {
    return !board.isFresh(lane, fence, dataFence, ownTick);
  }

  /**
   * The changes since the answer was last known to hold that could make a difference to it. Of an
   * answer that is loaded quickly only so many are looked at as are cheaper than its load.
   */
  public LookBack lookBack(Board board, Interest interest) {
    long most = Math.max(LEAST_LOOKED_AT, loadNanos / NANOS_A_CHANGE);
    return board.lookBack(interest, dataFence, ownTick, (int) Math.min(most, Integer.MAX_VALUE));
  }

  /**
   * Whether a look at these may still find that the answer holds: they are all remembered, and it
   * is out for nothing else, such as a clearing, a change of the schema, or a change of everything.
   */
  public boolean isRememberedBy(Board board) {
    return board.remembersSince(dataFence) && isFreshSince(board, Long.MAX_VALUE);
  }

  /**
   * Up to when the answer misses no change, on the monotonic clock, though it is out of date.
   *
   * @param interest which changes could make a difference to it
   * @return null if it is out of date for more than changes of data, has been cleared, or too many
   *     changes have been made since it was last asked
   */
  public @Nullable Watermark misses(Board board, Interest interest) {
    Missing known = missing;
    long from = dataFence;
    if (known != null && known.since() != from) {
      known = null; // it was found to hold since
    }
    LookBack changes =
        board.lookBack(
            interest, known == null ? from : known.through(), ownTick, Integer.MAX_VALUE);
    boolean cleared = changes.touching().stream().anyMatch(Change::isAtLarge);
    if (!changes.isComplete() || cleared || !isFreshSince(board, Long.MAX_VALUE)) {
      return null;
    }
    Watermark began = new Watermark(loadBeganNanos);
    if (known == null && changes.touching().isEmpty()) {
      return began; // out of date for no change that is known
    }
    Watermark covered = known == null ? later(began, changes.covered()) : known.covered();
    missing = new Missing(from, changes.through(), covered);
    return covered;
  }

  private static Watermark later(Watermark one, @Nullable Watermark other) {
    return other != null && other.nanos() - one.nanos() > 0 ? other : one;
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

  /** How long after its last use it may be served; {@link Long#MAX_VALUE} for ever. */
  public long idleLimitNanos() {
    return idleNanos;
  }

  /** Who has loaded it. */
  public LoadedBy loadedBy() {
    return by;
  }

  /** How it is renewed. */
  public Renewable renewal() {
    return renewal;
  }

  /** How long the load took. */
  public long loadNanos() {
    return loadNanos;
  }

  /** When the load began, or what was last asked of it, on the monotonic clock. */
  public long loadBeganNanos() {
    return loadBeganNanos;
  }

  /** About how many bytes the entry takes in memory, with its key, lanes and places. */
  public long bytes() {
    return Weight.of(value) + key.bytes() + footprint.bytes() + OWN_BYTES;
  }

  /** Whether it is older, or longer unused, than it may be served at this moment. */
  public boolean isExpired(long nowNanos) {
    return nowNanos - filledNanos >= lifetimeNanos
        || (idleNanos != Long.MAX_VALUE && nowNanos - usedAtNanos() >= idleNanos);
  }

  /** How long from this moment on it may be served, if nobody uses it meanwhile. */
  public long remainingNanos(long nowNanos) {
    long ofLife =
        lifetimeNanos == Long.MAX_VALUE ? lifetimeNanos : lifetimeNanos - (nowNanos - filledNanos);
    return idleNanos == Long.MAX_VALUE
        ? ofLife
        : Math.min(ofLife, idleNanos - (nowNanos - usedAtNanos()));
  }

  /** Whether it ever expires. */
  public boolean expires() {
    return lifetimeNanos != Long.MAX_VALUE || idleNanos != Long.MAX_VALUE;
  }

  /**
   * Marks the entry as used. Writes only where that changes something.
   *
   * @param nowNanos of the coarse clock
   */
  public void use(long nowNanos) {
    if (uses == 0 || usedAtNanos() != nowNanos) {
      USED_AT.setOpaque(this, nowNanos);
      uses++;
    }
  }

  /** Tells whoever wants to know that it has answered a question. */
  public void answers() {
    LongAdder told = given;
    if (told != null) {
      told.add(loadNanos);
    }
  }

  /** When it was last used, or filled if it never was. */
  public long usedAtNanos() {
    return (long) USED_AT.getOpaque(this);
  }

  /** How often it was used, in steps of the coarse clock. */
  public int uses() {
    return uses;
  }

  /** Whether the entry has been read at all since it was filled. */
  public boolean wasEverUsed() {
    return uses > 0;
  }

  /** Whether it is one to be renewed before anybody asks for it again, once it is out of date. */
  public boolean mayBeRenewedAhead() {
    return renewal().ahead() != null && wasEverUsed();
  }
}
