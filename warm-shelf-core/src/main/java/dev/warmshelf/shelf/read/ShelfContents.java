package dev.warmshelf.shelf.read;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.LookBack;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.plan.Interest;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Keeper;
import dev.warmshelf.store.Store;
import dev.warmshelf.time.TimeSource;
import dev.warmshelf.time.Watermark;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;
import java.util.function.Function;
import java.util.function.Predicate;
import java.util.function.Supplier;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * What one shelf holds: which entries may be served, kept, or must go, and the count of it.
 *
 * <p><b>Clearing.</b> A cleared shelf has a floor: entries whose fence lies below are out. A
 * cleared key, or form, ticks a lane of its own, which is looked at when an entry is kept, before
 * it is put into the store and again after: a clearing between the two finds the entry in the store
 * and removes it.
 *
 * <p>Thread-safe. A failing store surfaces here as its runtime exception.
 */
final class ShelfContents implements Keeper {
  private static final Logger LOG = LoggerFactory.getLogger(ShelfContents.class);

  private final String shelf;
  private final Board board;
  private final TimeSource time;
  private final Meters meters;
  private final Policy policy;
  private final Store store;
  private final Set<String> failuresTold = ConcurrentHashMap.newKeySet();
  private final ClearedDigests clearedDigests = new ClearedDigests();
  private volatile long floor;

  /** {@link Board#settled} at the last sweep; by the upkeep's thread alone. */
  private long sweptAt = -1;

  /** When the next entry expires of those that the last sweep has met. */
  private long nextEnd;

  ShelfContents(
      String shelf, Policy policy, Ground ground, Meters meters, Function<Keeper, Store> storeOf) {
    this.shelf = shelf;
    this.policy = policy;
    this.board = ground.board();
    this.time = ground.time();
    this.meters = meters;
    this.store = storeOf.apply(this);
  }

  int size() {
    return store.size();
  }

  long bytes() {
    return store.bytes();
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
   * @param cannotReach whether none of those that could does after all
   * @return whether it is fresh now
   */
  boolean revive(Entry entry, @Nullable Interest interest, Predicate<List<Change>> cannotReach) {
    if (interest == null || entry.fence() < floor) {
      return false;
    }
    LookBack changes = entry.lookBack(board, interest);
    if (!changes.findsNothing()) {
      changes = settled(entry, interest, changes, cannotReach);
    }
    if (changes == null) {
      return false;
    }
    entry.holdsThrough(changes.through());
    return isFresh(entry); // not if it was for another reason, such as a tag
  }

  /**
   * The changes once more, if they are the same after it has been told that none reaches the entry:
   * what told may be later than the first look, and somebody may have revived the entry meanwhile.
   */
  private @Nullable LookBack settled(
      Entry entry, Interest interest, LookBack first, Predicate<List<Change>> cannotReach) {
    if (!first.isComplete() || !cannotReach.test(first.touching())) {
      return null;
    }
    LookBack again = entry.lookBack(board, interest);
    return again.isComplete() && again.touching().equals(first.touching()) ? again : null;
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

  /**
   * Up to when an entry that is out of date misses no change.
   *
   * @param interest which changes could make a difference to it; null if any to its lanes may
   * @return null if it may not be served any more, whatever the policy
   */
  @Nullable Watermark misses(Entry entry, @Nullable Interest interest) {
    if (entry.fence() < floor || wasCleared(clearingsOf(entry.key()), entry)) {
      return null;
    }
    return entry.misses(board, interest == null ? Interest.inLanesOf(entry.footprint()) : interest);
  }

  /**
   * Has entries leave that can be of no use to anybody. Looks at all, if anything can have become
   * so since the last time.
   *
   * @return how many have left
   */
  int sweep() {
    long now = time.coarseNanos();
    long settled = board.settled();
    if (settled == sweptAt && now - nextEnd < 0) {
      return 0;
    }
    sweptAt = settled;
    List<Entry> out = new ArrayList<>();
    long[] soonest = {Long.MAX_VALUE >> 1};
    store.forEach(
        entry -> {
          if (isOut(entry)) {
            out.add(entry);
          } else {
            soonest[0] = Math.min(soonest[0], entry.remainingNanos(now));
          }
        });
    nextEnd = now + soonest[0];
    return removeAll(out, this::left);
  }

  /** How many of them were there still, and have left. */
  private int removeAll(List<Entry> out, Consumer<Entry> leaving) {
    int left = 0;
    for (Entry entry : out) {
      if (store.remove(entry)) {
        leaving.accept(entry);
        left++;
      }
    }
    return left;
  }

  private List<Entry> entriesThat(Predicate<Entry> fit) {
    List<Entry> found = new ArrayList<>();
    store.forEach(
        entry -> {
          if (fit.test(entry)) {
            found.add(entry);
          }
        });
    return found;
  }

  @Override
  public boolean isOut(Entry entry) {
    long now = time.coarseNanos();
    if (entry.isExpired(now) || entry.fence() < floor) {
      return true;
    } else if (isFresh(entry)) {
      return false;
    }
    boolean renewable = entry.renewal().byCaller() && entry.isRememberedBy(board);
    return !renewable && !entry.mayBeRenewedAhead() && !isOldOfUse(entry, now);
  }

  private boolean isOldOfUse(Entry entry, long now) {
    long longest = ShelfState.longestNanos(policy.old());
    if (longest == 0) {
      return false;
    }
    Watermark covered = misses(entry, null);
    return covered != null && now - covered.nanos() <= longest;
  }

  @Override
  public void left(Entry entry) {
    left(entry, reasonToLeave(entry, time.coarseNanos()));
  }

  private String reasonToLeave(Entry entry, long now) {
    if (entry.isExpired(now)) {
      return "expired";
    }
    return isFresh(entry) ? "evicted" : "invalidated";
  }

  /** Takes an entry off that may never be served again. */
  void drop(Entry entry, long now) {
    if (store.remove(entry)) {
      left(entry, entry.isExpired(now) ? "expired" : "invalidated");
    }
  }

  /** The entry under the key if it may be served; if it is of no use any more, takes it off. */
  @Nullable Entry fresh(Key key, long now) {
    Entry entry = store.get(key);
    if (entry == null || mayServe(entry, now)) {
      return entry;
    }
    if (isOut(entry)) {
      drop(entry, now);
    }
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
   * Keeps the entry unless it is out of date already, and of no use as an old one either.
   *
   * @param interest which changes could make a difference to it, asked for only where that matters;
   *     null if any may
   * @param before what it takes the place of; null if nothing is known to be there
   * @return whether it is kept now
   */
  boolean keep(Entry entry, Supplier<@Nullable Interest> interest, @Nullable Entry before) {
    return keep(
        entry, before, isFreshOrRevived(entry, interest) || isOldOfUse(entry, time.nanos()));
  }

  /** The same for one that is kept only if it is fresh. */
  boolean keepFresh(Entry entry, Supplier<@Nullable Interest> interest, @Nullable Entry before) {
    return keep(entry, before, isFreshOrRevived(entry, interest));
  }

  private boolean isFreshOrRevived(Entry entry, Supplier<@Nullable Interest> interest) {
    entry.hold(board);
    return isFresh(entry) || revive(entry, interest.get(), touching -> false);
  }

  private boolean keep(Entry entry, @Nullable Entry before, boolean mayBeServed) {
    try {
      Footprint clearings = clearingsOf(entry.key());
      if (!mayBeServed || wasCleared(clearings, entry)) {
        meters.count(Count.OVERTAKEN);
        Events.outAtBirth(shelf, entry.key());
        return false;
      }
      if (entry.lifetimeNanos() <= 0 || !putsInPlaceOf(before, entry)) {
        meters.count(Count.NOT_KEPT);
        Events.notKept(shelf, entry.key());
        return false;
      }
      if (!staysIn(clearings, entry)) {
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

  /**
   * Holds an entry of another process, unless it is out of date.
   *
   * @param interest which changes could make a difference to it; null if any may
   * @param before what it takes the place of; null if nothing is known to be there
   * @return whether it may be served, held or not
   */
  boolean takeOver(Entry entry, Supplier<@Nullable Interest> interest, @Nullable Entry before) {
    Footprint clearings = clearingsOf(entry.key());
    if (entry.isExpired(time.coarseNanos())
        || !isFreshOrRevived(entry, interest)
        || wasCleared(clearings, entry)) {
      return false;
    }
    try {
      boolean held = putsInPlaceOf(before, entry);
      LOG.trace("an answer of another process is held: {}", held);
    } catch (RuntimeException e) {
      tellOnce("keep an answer", e);
    }
    return staysIn(clearings, entry);
  }

  /** Puts an entry into the store, and counts what it was known to take the place of. */
  private boolean putsInPlaceOf(@Nullable Entry before, Entry entry) {
    Entry replaced = before != null && store.get(entry.key()) == before ? before : null;
    if (!store.put(entry)) {
      return false;
    }
    if (replaced != null) {
      left(replaced, "invalidated");
    }
    return true;
  }

  /** Holds an entry of an earlier process, unless it is of no use to anybody. */
  boolean putBack(Entry entry) {
    try {
      entry.hold(board);
      Footprint clearings = clearingsOf(entry.key());
      if (isOut(entry) || wasCleared(clearings, entry) || holds(entry.key()) || !store.put(entry)) {
        return false;
      }
      boolean stays = staysIn(clearings, entry);
      if (stays) {
        meters.count(Count.RESTORED);
      }
      return stays;
    } catch (RuntimeException e) {
      tellOnce("keep an answer", e);
      return false;
    }
  }

  /**
   * Invalidates what is held under the key, and what is being loaded for it.
   *
   * @return how many entries have left
   */
  int clear(Key key) {
    board.noteClearing(time.nanos());
    board.tick(List.of(Lane.ofClearing(shelf, key.digest())));
    Entry entry = store.get(key);
    if (entry != null && store.remove(entry)) {
      left(entry, "cleared");
      return 1;
    }
    return 0;
  }

  /**
   * Invalidates the answer to the question whose digest begins so, if one is held, and those that
   * are being loaded, or come from elsewhere.
   *
   * @return how many entries have left
   */
  int clearDigest(String digest, Function<String, @Nullable Entry> find) {
    board.noteClearing(time.nanos());
    clearedDigests.addKey(digest, board.tick(List.of()));
    Entry found = find.apply(digest);
    return found == null ? 0 : clear(found.key());
  }

  /**
   * Invalidates what is held of forms whose digests begin so, and what is being loaded of them, or
   * comes from elsewhere.
   *
   * @return how many entries have left
   */
  int clearForm(String form, Predicate<Entry> isOf) {
    board.noteClearing(time.nanos());
    clearedDigests.addForm(form, board.tick(List.of()));
    Set<String> forms = new HashSet<>(Set.of(form));
    entriesThat(isOf).forEach(entry -> forms.add(entry.key().form().formDigest()));
    board.tick(forms.stream().map(each -> Lane.ofClearedForm(shelf, each)).toList());
    return removeAll(entriesThat(isOf), entry -> left(entry, "cleared"));
  }

  /** Has all answers of a form leave; those that are being loaded stay away by themselves. */
  void leave(KeyShape form) {
    entriesThat(entry -> entry.key().form().equals(form)).forEach(this::leave);
  }

  /** Has an answer leave whose form stands down. */
  void leave(Entry entry) {
    removeAll(List.of(entry), each -> left(each, "stood down"));
  }

  /** Invalidates all that is held, and all that is being loaded. */
  void clear() {
    board.noteClearing(time.nanos());
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

  private Footprint clearingsOf(Key key) {
    return Footprint.of(
        Lane.ofClearing(shelf, key.digest()), Lane.ofClearedForm(shelf, key.form().formDigest()));
  }

  /** Whether an entry may be served, wherever it is held. */
  boolean isServable(Entry entry) {
    return mayServe(entry, time.nanos()) && !wasCleared(clearingsOf(entry.key()), entry);
  }

  /** Says each time whether an entry has not been cleared since it was loaded. */
  BooleanSupplier uncleared(Entry entry) {
    Footprint clearings = clearingsOf(entry.key());
    return () -> !wasCleared(clearings, entry);
  }

  /** Whether an entry that was just put in was not cleared meanwhile; else takes it out. */
  private boolean staysIn(Footprint clearings, Entry entry) {
    boolean stays = !wasCleared(clearings, entry);
    if (!stays) {
      store.remove(entry);
    }
    return stays;
  }

  private boolean wasCleared(Footprint clearings, Entry entry) {
    return !board.isFresh(clearings, entry.fence())
        || clearedDigests.names(entry.key(), entry.fence());
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
