package dev.warmshelf.shelf;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.fresh.TimeSource;
import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Footprint;
import dev.warmshelf.lane.Interest;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Events;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.store.BoundedStore;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Fill;
import dev.warmshelf.store.Store;
import java.util.HashMap;
import java.util.Map;
import java.util.Objects;
import java.util.concurrent.Callable;
import java.util.function.Consumer;
import java.util.function.Function;
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
 * load that began before a change a caller may know of is not good enough for that caller, who then
 * shares the next one (see {@link Loads}).
 *
 * <p>A shelf never breaks a read. If its store fails, the database answers.
 *
 * <p>Thread-safe. A hit takes no lock, and allocates only the reading.
 */
public final class Shelf implements AutoCloseable {
  private static final Logger LOG = LoggerFactory.getLogger(Shelf.class);

  private final String name;
  private final Policy policy;
  private final Board board;
  private final TimeSource time;
  private final BoardClock ground;
  private final Trust trust;
  private final Meters meters = new Meters();
  private final ShelfContents contents;
  private final long lifetimeNanos;
  private final long toleranceNanos;
  private final long lossBoundNanos;
  private final @Nullable Auditor auditor;
  private final Loads loads;
  private volatile @Nullable Recorder recorder;
  private volatile boolean closed;

  /** What makes a kept answer trustworthy, apart from its TTL. */
  public enum Trust {
    /** A feed: while its watermark stands still for too long, the policy says what to do. */
    FEED,
    /** The TTL alone. Answers may be stale by as much. */
    TTL_ALONE
  }

  /** When to keep an answer that was made from an own write. */
  public enum WriteThrough {
    /** Only if the shelf holds an answer to the question, fresh or not. */
    IF_KEPT,
    ANYWAY
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
   * @throws IllegalArgumentException if nothing would ever change its answers: neither a feed nor a
   *     TTL
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
    this.ground = new BoardClock(board, time);
    this.loads = new Loads(time, policy.patienceNanos());
    this.trust = Objects.requireNonNull(trust, "trust");
    this.contents = new ShelfContents(name, board, time, meters, storeOf);
    this.lifetimeNanos = policy.lifetimeNanos();
    this.toleranceNanos = policy.toleranceNanos();
    this.lossBoundNanos = policy.lossBoundNanos();
    this.auditor =
        policy.audit().share() == 0 ? null : new Auditor(name, policy.audit(), board, time, meters);
    if (trust == Trust.TTL_ALONE && policy.ttl() == null) {
      throw new IllegalArgumentException(
          "Shelf '"
              + name
              + "' follows no feed and has no TTL, so its answers would never change. Give it one"
              + " of the two.");
    }
  }

  /** By which the program calls it. */
  public String name() {
    return name;
  }

  /** By which it keeps answers. */
  public Policy policy() {
    return policy;
  }

  /** What it counts and times; goes on. */
  public Meters meters() {
    return meters;
  }

  /** How many answers are held just now, fresh or not. */
  public int size() {
    return contents.size();
  }

  /** What is held, by kind of question. Looks at every entry. */
  public Map<KeyShape, HeldSize> held() {
    Map<KeyShape, HeldSize> held = new HashMap<>();
    contents.forEach(
        entry ->
            held.merge(
                entry.key().form(),
                new HeldSize(1, entry.bytes().orElse(0)),
                (some, one) -> some.and(one.bytes())));
    return held;
  }

  /**
   * Has every question told to this recorder from now on, in place of any before; null for none.
   */
  public void recordTo(@Nullable Recorder told) {
    recorder = told;
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
    return this.<V, V, X>read(key, ReadRequest.of(footprint, loader), value -> value);
  }

  /**
   * The same, with a look at the kept answer: what is kept is {@code A}, and the caller gets what
   * {@code view} makes of it at each read.
   *
   * @throws X what the loader threw
   */
  public <A extends @Nullable Object, V extends @Nullable Object, X extends Exception>
      Reading<V> read(Key key, ReadRequest<A, X> request, Function<? super A, ? extends V> view)
          throws X {
    if (closed) {
      return bypass(BypassReason.CLOSED, BypassReason.CLOSED.label(), key, request, view);
    }
    long timed = meters.timesThisHit() ? time.nanos() : 0;
    Watermark watermark = board.watermark();
    long now = time.coarseNanos();
    if (!isFeedLost(watermark, now)) {
      Entry kept = contents.servable(key, now);
      if (kept != null && isWithin(request.freshWithinNanos(), kept.loadBeganNanos(), watermark)) {
        Reading<V> reading = served(kept, Origin.KEPT, now, watermark, request, view);
        if (timed != 0) {
          meters.hitTook(time.nanos() - timed);
        }
        return reading;
      }
    }
    // Whatever is no plain hit is an object of its own, which looks again.
    return new Read<A, V, X>(this, key, request, view).answer();
  }

  /** A hit, audited and recorded if it should be. */
  <A extends @Nullable Object, V extends @Nullable Object, X extends Exception> Reading<V> served(
      Entry kept,
      Origin origin,
      long now,
      @Nullable Watermark watermark,
      ReadRequest<A, X> request,
      Function<? super A, ? extends V> view) {
    Reading<V> reading = hit(kept, origin, now, watermark, view);
    audit(kept, request);
    record(kept.key(), request, origin, kept);
    return reading;
  }

  /** The value under the key, or null if there is none that may be served. A hit or a miss. */
  public <V extends @Nullable Object> @Nullable Reading<V> get(Key key) {
    Watermark watermark = board.watermark();
    long now = time.coarseNanos();
    boolean lost = isFeedLost(watermark, now);
    boolean mayServe = !closed && !(lost && lossBoundNanos == 0);
    Entry entry = mayServe ? contents.freshIfStoreWorks(key) : null;
    if (entry == null || (lost && !isWithin(lossBoundNanos, entry.loadBeganNanos(), watermark))) {
      meters.count(Count.MISSES);
      return null;
    }
    return this.<V, V>hit(entry, Origin.KEPT, now, watermark, value -> value);
  }

  /**
   * The fence for a value that is about to be worked out; see {@link #put}. Take it before reading
   * anything that the value is made from.
   */
  public Fence fence() {
    return new Fence(board.lastTick(), time.nanos());
  }

  /**
   * Keeps a value. It is not kept if one of its lanes has changed since the fence.
   *
   * @param footprint what the value was made from
   * @param fence taken before the value was worked out
   * @return whether it is kept
   */
  public boolean put(Key key, @Nullable Object value, Footprint footprint, Fence fence) {
    return !closed && contents.keep(entry(key, value, footprint, fence, 0), () -> null);
  }

  /**
   * Keeps an answer that was made from an own write, unless somebody else has changed what it
   * depends on since the fence. Of two writers at once the older value never stays: neither does
   * the younger, where it is not certain which is which.
   *
   * @param fence taken before the statement that gave the answer was sent
   * @param own what {@link Board#tickOwn} returned for the write
   * @return whether it is kept
   */
  public boolean writeThrough(
      Key key,
      @Nullable Object value,
      Footprint footprint,
      Fence fence,
      long own,
      WriteThrough mode) {
    try {
      if (closed || (mode == WriteThrough.IF_KEPT && !contents.holds(key))) {
        return false;
      }
    } catch (RuntimeException e) {
      contents.tellOnce("look up", e);
      return false;
    }
    boolean kept = contents.keep(entry(key, value, footprint, fence, own), () -> null);
    if (kept) {
      meters.count(Count.WRITTEN_THROUGH);
    }
    return kept;
  }

  /** Invalidates the answer under the key. None whose load has begun by now is served under it. */
  public void clear(Key key) {
    try {
      contents.clear(key);
    } catch (RuntimeException e) {
      contents.tellOnce("clear a key; the whole shelf is cleared, and", e);
      contents.clear();
    }
  }

  /** Invalidates all answers, in constant time. None whose load has begun by now is served. */
  public void clear() {
    contents.clear();
  }

  /**
   * A read that bypasses the shelf. Counted with its reason; nothing is kept.
   *
   * @param detail the reason in words, for the reading
   * @param key of the question, for those who record
   * @param request only its load is called
   * @throws X what the loader threw
   */
  public <A extends @Nullable Object, V extends @Nullable Object, X extends Exception>
      Reading<V> bypass(
          BypassReason reason,
          String detail,
          Key key,
          ReadRequest<A, X> request,
          Function<? super A, ? extends V> view)
          throws X {
    meters.bypass(reason);
    Watermark began = Watermark.now(time);
    A answer = request.load();
    if (recorder != null) {
      record(key, request, Origin.DIRECT, time.nanos() - began.nanos(), answer);
    }
    return Reading.direct(view.apply(answer), began, detail, ground);
  }

  void record(Key key, ReadRequest<?, ?> request, Origin outcome, Entry entry) {
    if (recorder != null) {
      record(key, request, outcome, entry.loadNanos(), entry.value());
    }
  }

  /** Tells the recorder. One that fails is told no more: it must not break a read. */
  private void record(
      Key key, ReadRequest<?, ?> request, Origin outcome, long loadNanos, @Nullable Object answer) {
    Recorder told = recorder;
    if (told == null) {
      return;
    }
    try {
      told.asked(name, key, request.words(), outcome, loadNanos, answer);
    } catch (RuntimeException e) {
      recorder = null;
      LOG.error("The recorder of shelf '{}' failed; it is told no more.", name, e);
    }
  }

  /** Ends the audits. From now on the database answers each read. */
  @Override
  public void close() {
    closed = true;
    if (auditor != null) {
      auditor.close();
    }
  }

  /** Whether the feed has been silent for longer than the policy tolerates. */
  public boolean isFeedLost() {
    return isFeedLost(board.watermark(), time.nanos());
  }

  boolean isFeedLost(@Nullable Watermark watermark, long now) {
    return trust == Trust.FEED && (watermark == null || now - watermark.nanos() > toleranceNanos);
  }

  /**
   * Whether every change that committed longer ago than the bound is in what a load read that began
   * then, given that its lanes are fresh; at a bound of 0 or less that is known of no load.
   */
  boolean isWithin(long bound, long beganNanos, @Nullable Watermark watermark) {
    if (bound == Long.MAX_VALUE) {
      return true;
    } else if (bound <= 0) {
      return false;
    }
    long now = time.nanos();
    return now - beganNanos <= bound
        || (trust == Trust.FEED && watermark != null && now - watermark.nanos() <= bound);
  }

  private <A extends @Nullable Object, V extends @Nullable Object> Reading<V> hit(
      Entry entry,
      Origin origin,
      long now,
      @Nullable Watermark watermark,
      Function<? super A, ? extends V> view) {
    entry.use();
    meters.hit(entry.loadNanos());
    long age = Math.max(0, now - entry.filledNanos());
    Events.hit(name, entry.key(), age);
    return reading(entry, origin, age, watermark, view);
  }

  /** How long a load must have taken for its answer to be mended. */
  long mendsFromNanos() {
    return policy.renewal().mendsFromNanos();
  }

  /** Which changes could make a difference to an entry; null if any may, or nobody is to look. */
  <A extends @Nullable Object> @Nullable Interest interest(Entry entry, ReadRequest<A, ?> request) {
    if (!policy.renewal().looksAgain()) {
      return null;
    }
    @SuppressWarnings({"unchecked", "NullAway"}) // a key belongs to one kind of question, and type
    Interest interest = request.interest((A) entry.value());
    return interest == null || !interest.covers(entry.footprint()) ? null : interest;
  }

  static <A extends @Nullable Object, X extends Exception> boolean saysTheSame(
      Entry entry, A value, ReadRequest<A, X> request) {
    @SuppressWarnings({"unchecked", "NullAway"}) // a key belongs to one kind of question, and type
    boolean same = request.isSame((A) entry.value(), value);
    return same;
  }

  /** Has a hit audited, if it is picked. */
  private <A extends @Nullable Object, X extends Exception> void audit(
      Entry hit, ReadRequest<A, X> request) {
    Auditor sampling = auditor;
    if (sampling != null && sampling.picksThisHit()) {
      sampling.audit(hit, comparison(hit, request));
    }
  }

  /** Reads a hit again directly, and says whether it holds; null if that cannot be done. */
  private static <A extends @Nullable Object, X extends Exception>
      @Nullable Callable<Boolean> comparison(Entry entry, ReadRequest<A, X> request) {
    Callable<A> again = request.again();
    return again == null ? null : () -> saysTheSame(entry, again.call(), request);
  }

  private Entry entry(Key key, @Nullable Object value, Footprint footprint, Fence fence, long own) {
    return new Entry(key, value, footprint, new Fill(fence, own, time.nanos(), lifetimeNanos));
  }

  <A extends @Nullable Object, V extends @Nullable Object> Reading<V> reading(
      Entry entry,
      Origin origin,
      long ageNanos,
      @Nullable Watermark watermark,
      Function<? super A, ? extends V> view) {
    @SuppressWarnings("unchecked") // a key belongs to one kind of question, and so to one type
    A kept = (A) entry.value();
    Watermark counts = trust == Trust.FEED ? watermark : null;
    return Reading.of(view.apply(kept), origin, ageNanos, counts, entry, ground);
  }

  BoardClock ground() {
    return ground;
  }

  ShelfContents contents() {
    return contents;
  }

  Loads loads() {
    return loads;
  }

  /** How stale an answer may be and still be served while the feed is lost; 0 for not at all. */
  long lossBoundNanos() {
    return lossBoundNanos;
  }

  long lifetimeNanos() {
    return lifetimeNanos;
  }
}
