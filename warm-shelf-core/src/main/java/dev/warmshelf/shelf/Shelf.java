package dev.warmshelf.shelf;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.TimeSource;
import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.key.Footprint;
import dev.warmshelf.key.Key;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.store.BoundedStore;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Store;
import java.time.Instant;
import java.util.Objects;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Consumer;
import java.util.function.Function;
import java.util.function.Predicate;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * A named place for answers, with one policy.
 *
 * <p>A hit reads the watermark, then the entry, then the lanes: in this order, everything up to the
 * watermark is known to be in the answer (see {@link Board}). A miss takes the fence, then asks the
 * database, then keeps the answer; if a lane changed meanwhile the entry is born out of date and is
 * not kept. Callers that miss at once share one load, but only one that could still be served: a
 * load that began before a change a caller may know of is not good enough for that caller.
 *
 * <p>A shelf never breaks a read. If its store fails, the database answers.
 *
 * <p>Thread-safe. A hit takes no lock, and allocates only the reading.
 */
public final class Shelf {
  private static final Logger LOG = LoggerFactory.getLogger(Shelf.class);

  private final String name;
  private final Policy policy;
  private final Board board;
  private final TimeSource time;
  private final Trust trust;
  private final Store store;
  private final Meters meters = new Meters();
  private final long lifetimeNanos;
  private final long toleranceNanos;
  private final ConcurrentHashMap<Key, Flight> flights = new ConcurrentHashMap<>();
  private final Set<String> failuresTold = ConcurrentHashMap.newKeySet();

  /** What makes a kept answer trustworthy, apart from its TTL. */
  public enum Trust {
    /** A feed: while its watermark stands still for too long, nothing is served. */
    FEED,
    /** The TTL alone. Answers may be stale by as much. */
    TTL_ALONE
  }

  /** A shelf that holds its entries in memory. */
  public Shelf(String name, Policy policy, Board board, TimeSource time, Trust trust) {
    this(
        name,
        policy,
        board,
        time,
        trust,
        onEviction -> new BoundedStore(policy.capacity().entries(), onEviction));
  }

  /**
   * @param storeOf makes the store, given what to call with each entry it evicts
   */
  public Shelf(
      String name,
      Policy policy,
      Board board,
      TimeSource time,
      Trust trust,
      Function<Consumer<Entry>, Store> storeOf) {
    this.name = Objects.requireNonNull(name, "name");
    this.policy = Objects.requireNonNull(policy, "policy");
    this.board = Objects.requireNonNull(board, "board");
    this.time = Objects.requireNonNull(time, "time");
    this.trust = Objects.requireNonNull(trust, "trust");
    this.store = storeOf.apply(this::evicted);
    this.lifetimeNanos = policy.lifetimeNanos();
    this.toleranceNanos = policy.toleranceNanos();
    if (trust == Trust.TTL_ALONE && policy.ttl() == null) {
      throw new IllegalArgumentException(
          "Shelf '"
              + name
              + "' follows no feed and has no TTL, so its answers would never change. Give it one"
              + " of the two.");
    }
  }

  public String name() {
    return name;
  }

  public Policy policy() {
    return policy;
  }

  public Meters meters() {
    return meters;
  }

  /** How many answers are kept just now, fresh or not. */
  public int size() {
    return store.size();
  }

  /**
   * The answer to a question: from the shelf if it is there and fresh, else from the database.
   *
   * @param footprint what the answer will have been read from
   * @param loader asks the database; called at most once, or not at all
   * @throws X what the loader threw
   */
  public <V extends @Nullable Object, X extends Exception> Reading<V> read(
      Key key, Footprint footprint, Loader<? extends V, X> loader) throws X {
    return this.<V, V, X>read(key, footprint, loader, value -> true, value -> value);
  }

  /**
   * The same, with a look at the kept answer: what is kept is {@code A}, and the caller gets what
   * {@code view} makes of it at each read.
   *
   * @param mayBeShared whether what was loaded is good for others too; what is not goes to the
   *     caller that loaded it, and to nobody else
   */
  public <A extends @Nullable Object, V extends @Nullable Object, X extends Exception>
      Reading<V> read(
          Key key,
          Footprint footprint,
          Loader<? extends A, X> loader,
          Predicate<? super A> mayBeShared,
          Function<? super A, ? extends V> view)
          throws X {
    long began = meters.timesThisHit() ? time.nanos() : 0;
    Watermark watermark = board.watermark();
    long now = time.coarseNanos();
    if (isFeedLost(watermark, now)) {
      return bypass(BypassReason.FEED_LOST, BypassReason.FEED_LOST.label(), loader, view);
    }
    Entry entry;
    try {
      entry = fresh(key, now);
    } catch (RuntimeException e) {
      tellOnce("look up", e);
      return bypass(BypassReason.SHELF_FAILED, "shelf failed: " + e, loader, view);
    }
    if (entry == null) {
      return miss(key, footprint, loader, mayBeShared, view);
    }
    entry.use();
    meters.hit();
    if (LOG.isDebugEnabled()) {
      LOG.debug("hit shelf={} key={}", name, key.shortDigest());
    }
    long age = Math.max(0, now - entry.filledNanos());
    Reading<V> reading = reading(entry, Origin.KEPT, age, watermark, view);
    if (began != 0) {
      meters.hitTook(time.nanos() - began);
    }
    return reading;
  }

  /**
   * A read that goes around the shelf. Counted with its reason; nothing is kept.
   *
   * @param detail the reason in words, for the reading
   */
  public <A extends @Nullable Object, V extends @Nullable Object, X extends Exception>
      Reading<V> bypass(
          BypassReason reason,
          String detail,
          Loader<? extends A, X> loader,
          Function<? super A, ? extends V> view)
          throws X {
    meters.bypass(reason);
    Instant began = time.wall();
    return Reading.direct(view.apply(loader.load()), began, detail);
  }

  /** Whether the feed has been silent for longer than the policy tolerates. */
  public boolean isFeedLost() {
    return isFeedLost(board.watermark(), time.nanos());
  }

  private boolean isFeedLost(@Nullable Watermark watermark, long now) {
    return trust == Trust.FEED && (watermark == null || now - watermark.nanos() > toleranceNanos);
  }

  /** The entry under the key if it may be served, and if not, takes it off the shelf. */
  private @Nullable Entry fresh(Key key, long now) {
    Entry entry = store.get(key);
    if (entry == null) {
      return null;
    }
    boolean expired = entry.isExpired(now);
    if (!expired && board.isFresh(entry.footprint(), entry.fence())) {
      return entry;
    }
    if (store.remove(entry)) {
      left(
          entry,
          expired ? "expired" : "invalidated",
          expired ? meters::expired : meters::invalidated);
    }
    return null;
  }

  private <A extends @Nullable Object, V extends @Nullable Object, X extends Exception>
      Reading<V> miss(
          Key key,
          Footprint footprint,
          Loader<? extends A, X> loader,
          Predicate<? super A> mayBeShared,
          Function<? super A, ? extends V> view)
          throws X {
    meters.miss();
    if (LOG.isDebugEnabled()) {
      LOG.debug("miss shelf={} key={}", name, key.shortDigest());
    }
    Watermark watermark = board.watermark();
    Flight mine = new Flight(board.fence());
    Flight other = flights.putIfAbsent(key, mine);
    if (other != null && board.isFresh(footprint, other.fence())) {
      Entry entry = other.await();
      if (entry != null) {
        meters.joined();
        return reading(entry, Origin.JOINED, 0, watermark, view);
      }
      // That load failed. This caller finds out on its own; its waiting may have made a fence old.
      mine = new Flight(board.fence());
      flights.putIfAbsent(key, mine);
    } else if (other != null) {
      // Too old to share. Later callers share the younger load instead.
      flights.replace(key, other, mine);
    }
    return lead(key, footprint, loader, mayBeShared, view, mine);
  }

  /** Loads, keeps and answers. The flight is in the map, or stands alone: both are sound. */
  private <A extends @Nullable Object, V extends @Nullable Object, X extends Exception>
      Reading<V> lead(
          Key key,
          Footprint footprint,
          Loader<? extends A, X> loader,
          Predicate<? super A> mayBeShared,
          Function<? super A, ? extends V> view,
          Flight flight)
          throws X {
    try {
      Entry justKept = keptMeanwhile(key);
      if (justKept != null) {
        flight.land(justKept);
        meters.joined();
        return reading(justKept, Origin.JOINED, 0, null, view);
      }
      Instant beganAt = time.wall();
      long began = time.nanos();
      A value;
      try {
        value = loader.load();
      } catch (Throwable e) {
        meters.loadFailed();
        throw e;
      }
      long ended = time.nanos();
      meters.loaded(ended - began);
      Entry entry =
          new Entry(
              key, value, footprint, flight.fence(), beganAt, ended, ended - began, lifetimeNanos);
      if (mayBeShared.test(value)) {
        flight.land(entry);
        keep(entry);
      }
      return reading(entry, Origin.LOADED, 0, null, view);
    } finally {
      flight.land(null);
      flights.remove(key, flight);
    }
  }

  /** Between this caller's look and its flight another one may have landed. */
  private @Nullable Entry keptMeanwhile(Key key) {
    try {
      return fresh(key, time.coarseNanos());
    } catch (RuntimeException e) {
      tellOnce("look up", e);
      return null;
    }
  }

  private void keep(Entry entry) {
    try {
      if (!board.isFresh(entry.footprint(), entry.fence())) {
        LOG.debug("out of date at birth shelf={} key={}", name, entry.key());
        return;
      }
      store.put(entry);
      meters.filled();
      if (LOG.isDebugEnabled()) {
        LOG.debug(
            "fill shelf={} key={} load_us={} footprint={}",
            name,
            entry.key().shortDigest(),
            entry.loadNanos() / 1_000,
            entry.footprint());
      }
    } catch (RuntimeException e) {
      tellOnce("keep an answer", e);
    }
  }

  private <A extends @Nullable Object, V extends @Nullable Object> Reading<V> reading(
      Entry entry,
      Origin origin,
      long ageNanos,
      @Nullable Watermark watermark,
      Function<? super A, ? extends V> view) {
    @SuppressWarnings("unchecked") // a key belongs to one kind of question, and so to one type
    A kept = (A) entry.value();
    Instant freshAsOf = entry.loadBegan();
    if (trust == Trust.FEED && watermark != null && watermark.at().isAfter(freshAsOf)) {
      freshAsOf = watermark.at();
    }
    return Reading.of(
        view.apply(kept), origin, ageNanos, freshAsOf, board, entry.footprint(), entry.fence());
  }

  private void evicted(Entry entry) {
    if (board.isFresh(entry.footprint(), entry.fence())) {
      left(entry, "evicted", meters::evicted);
    } else {
      left(entry, "invalidated", meters::invalidated);
    }
  }

  private void left(Entry entry, String why, Runnable count) {
    count.run();
    if (!entry.wasEverUsed()) {
      meters.wasted();
    }
    if (LOG.isDebugEnabled()) {
      LOG.debug("{} shelf={} key={}", why, name, entry.key().shortDigest());
    }
  }

  private void tellOnce(String what, RuntimeException e) {
    if (failuresTold.add(what + e.getClass().getName())) {
      LOG.error(
          "Shelf '{}' could not {}; the database answers instead. Told once per cause.",
          name,
          what,
          e);
    }
  }
}
