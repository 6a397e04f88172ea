package dev.warmshelf.shelf;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.LookBack;
import dev.warmshelf.fresh.TimeSource;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Footprint;
import dev.warmshelf.lane.Interest;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Events;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Store;
import java.util.List;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Consumer;
import java.util.function.Function;
import java.util.function.Supplier;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * What one shelf holds: which entries may be served, kept, or must go, and the count of it.
 *
 * <p><b>Clearing.</b> A cleared shelf has a floor: entries whose fence lies below are out. A
 * cleared key ticks a lane of its own, which is looked at when an entry is kept, before it is put
 * into the store and again after: a clearing between the two finds the entry in the store and
 * removes it.
 *
 * <p>Thread-safe. A failing store surfaces here as its runtime exception.
 */
final class ShelfContents {
  private static final Logger LOG = LoggerFactory.getLogger(Shelf.class);

  private final String shelf;
  private final Board board;
  private final TimeSource time;
  private final Meters meters;
  private final Store store;
  private final Set<String> failuresTold = ConcurrentHashMap.newKeySet();
  private volatile long floor;

  ShelfContents(
      String shelf,
      Board board,
      TimeSource time,
      Meters meters,
      Function<Consumer<Entry>, Store> storeOf) {
    this.shelf = shelf;
    this.board = board;
    this.time = time;
    this.meters = meters;
    this.store = storeOf.apply(this::evicted);
  }

  int size() {
    return store.size();
  }

  void forEach(Consumer<Entry> visitor) {
    store.forEach(visitor);
  }

  /** Whether anything is held under the key, fresh or not. */
  boolean holds(Key key) {
    return store.get(key) != null;
  }

  /** What is held under the key, fresh or not. */
  @Nullable Entry find(Key key) {
    return store.get(key);
  }

  /**
   * What may be served under the key; null where nothing may, or the store fails. No entry leaves.
   */
  @Nullable Entry servable(Key key, long now) {
    Entry entry;
    try {
      entry = store.get(key);
    } catch (RuntimeException e) {
      return null; // who looks again tells
    }
    return entry != null && mayServe(entry, now) ? entry : null;
  }

  boolean mayServe(Entry entry, long now) {
    return !entry.isExpired(now) && isFresh(entry);
  }

  /**
   * Looks again at an entry that is out of date: it is not if no change to what it depends on makes
   * a difference to it.
   *
   * @param interest which changes could; null if any may
   * @return whether it is fresh now
   */
  boolean revive(Entry entry, @Nullable Interest interest) {
    if (interest == null || entry.fence() < floor) {
      return false;
    }
    LookBack changes = entry.lookBack(board, interest);
    if (!changes.findsNothing()) {
      return false;
    }
    entry.holdsThrough(changes.through());
    return isFresh(entry); // not if it was for another reason, such as a tag
  }

  /**
   * The changes that have touched an entry, if it is out of date for nothing else: no clearing, no
   * tag, no change of the schema.
   *
   * @return null if it is out for another reason, or what has touched it is not known
   */
  @Nullable LookBack touching(Entry entry, Interest interest) {
    LookBack changes = entry.lookBack(board, interest);
    boolean known =
        changes.isComplete()
            && entry.fence() >= floor
            && entry.isFreshSince(board, changes.through())
            && !wasCleared(clearingsOf(entry.key()), entry);
    return known ? changes : null;
  }

  /** Takes an entry off that may never be served again. */
  void drop(Entry entry, long now) {
    if (store.remove(entry)) {
      left(entry, entry.isExpired(now) ? "expired" : "invalidated");
    }
  }

  /** The entry under the key if it may be served; if it may never be again, takes it off. */
  @Nullable Entry fresh(Key key, long now) {
    Entry entry = store.get(key);
    if (entry == null || mayServe(entry, now)) {
      return entry;
    }
    drop(entry, now);
    return null;
  }

  /** {@link #fresh} where a failing store counts as an empty one. */
  @Nullable Entry freshIfStoreWorks(Key key) {
    try {
      return fresh(key, time.coarseNanos());
    } catch (RuntimeException e) {
      tellOnce("look up", e);
      return null;
    }
  }

  /**
   * Keeps the entry unless it is out of date already.
   *
   * @param interest which changes could make a difference to it, asked for only where that matters;
   *     null if any may
   * @return whether it is kept now
   */
  boolean keep(Entry entry, Supplier<@Nullable Interest> interest) {
    try {
      Lane clearings = clearingsOf(entry.key());
      if (!(isFresh(entry) || revive(entry, interest.get())) || wasCleared(clearings, entry)) {
        meters.count(Count.OVERTAKEN);
        Events.outAtBirth(shelf, entry.key());
        return false;
      }
      store.put(entry);
      if (wasCleared(clearings, entry)) {
        store.remove(entry);
        return false;
      }
      meters.count(Count.FILLS);
      Events.fill(shelf, entry.key(), entry.loadNanos(), entry.footprint());
      return true;
    } catch (RuntimeException e) {
      tellOnce("keep an answer", e);
      return false;
    }
  }

  /** Invalidates what is held under the key, and what is being loaded for it. */
  void clear(Key key) {
    board.tick(List.of(clearingsOf(key)));
    Entry entry = store.get(key);
    if (entry != null && store.remove(entry)) {
      left(entry, "cleared");
    }
  }

  /** Invalidates all that is held, and all that is being loaded. */
  void clear() {
    long tick = board.tick(List.of());
    synchronized (this) {
      floor = Math.max(floor, tick);
    }
  }

  /** A shelf never breaks a read: its trouble is logged, once per cause. */
  void tellOnce(String what, RuntimeException e) {
    if (failuresTold.add(what + e.getClass().getName())) {
      LOG.error(
          "Shelf '{}' could not {}; the database answers instead. Told once per cause.",
          shelf,
          what,
          e);
    }
  }

  /** Whether the entry holds still, for those who found it elsewhere than in the store. */
  boolean isFresh(Entry entry) {
    return entry.fence() >= floor && entry.isFresh(board);
  }

  /**
   * Whether a load that took this fence may answer whoever asks now: nothing that it will read has
   * changed since as far as is known, and it was not cleared.
   */
  boolean isFresh(Key key, Footprint footprint, long fence) {
    return fence >= floor
        && board.isFresh(footprint, fence)
        && board.isFresh(clearingsOf(key), fence);
  }

  private Lane clearingsOf(Key key) {
    return Lane.ofClearing(shelf, key);
  }

  private boolean wasCleared(Lane clearings, Entry entry) {
    return !board.isFresh(clearings, entry.fence());
  }

  private void evicted(Entry entry) {
    left(entry, isFresh(entry) ? "evicted" : "invalidated");
  }

  private void left(Entry entry, String why) {
    switch (why) {
      case "expired" -> meters.count(Count.EXPIRED);
      case "evicted" -> meters.count(Count.EVICTED);
      default -> meters.count(Count.INVALIDATED);
    }
    if (!entry.wasEverUsed()) {
      meters.count(Count.WASTED);
    }
    Events.left(shelf, entry.key(), why, entry.wasEverUsed());
  }
}
