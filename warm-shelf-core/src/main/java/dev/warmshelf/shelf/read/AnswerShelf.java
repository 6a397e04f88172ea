package dev.warmshelf.shelf.read;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.EntryDetail;
import dev.warmshelf.shelf.EntryPage;
import dev.warmshelf.shelf.EntryQuery;
import dev.warmshelf.shelf.EntryView.LoadedBy;
import dev.warmshelf.shelf.Loader;
import dev.warmshelf.shelf.NeedlessReloads;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.store.BoundedStore;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Fill;
import dev.warmshelf.store.Fill.Life;
import dev.warmshelf.store.Fill.Renewable;
import dev.warmshelf.store.Keeper;
import dev.warmshelf.store.Store;
import dev.warmshelf.time.TimeSource;
import dev.warmshelf.time.Watermark;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

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
public final class AnswerShelf implements Shelf, AutoCloseable {
  private final ShelfState state;
  private final Policy policy;
  private final Board board;
  private final TimeSource time;
  private final Meters meters;
  private final ShelfContents contents;

  private volatile boolean closed;

  /**
   * A shelf that holds its entries in memory, alone: in room of its own, with nothing done in the
   * background.
   */
  public AnswerShelf(String name, Policy policy, Board board, TimeSource time, Ground.Trust trust) {
    this(name, policy, Ground.of(board, time, trust));
  }

  /** A shelf that holds its entries in memory. */
  public AnswerShelf(String name, Policy policy, Ground ground) {
    this(
        name,
        policy,
        ground,
        keeper ->
            new BoundedStore(
                policy.capacity().ofItsOwn()
                    ? Ground.room(policy.capacity(), ground.time())
                    : ground.room(),
                keeper));
  }

  /**
   * @param storeOf makes the store, given who knows what its entries are good for
   * @throws IllegalArgumentException if nothing would ever change its answers: neither a feed nor a
   *     TTL
   */
  public AnswerShelf(String name, Policy policy, Ground ground, Function<Keeper, Store> storeOf) {
    this.state = new ShelfState(name, policy, ground, storeOf);
    this.policy = policy;
    this.board = ground.board();
    this.time = ground.time();
    this.meters = state.meters();
    this.contents = state.contents();
  }

  /**
   * A shelf as what it is.
   *
   * @throws ClassCastException if it is none of the library's
   */
  public static AnswerShelf of(Shelf shelf) {
    return (AnswerShelf) shelf;
  }

  @Override
  public String name() {
    return state.name();
  }

  @Override
  public Policy policy() {
    return policy;
  }

  @Override
  public Meters meters() {
    return meters;
  }

  @Override
  public int size() {
    return contents.size();
  }

  @Override
  public long bytes() {
    return contents.bytes();
  }

  /** What is held, by kind of question. Looks at every entry. */
  public Map<KeyShape, HeldSize> held() {
    Map<KeyShape, HeldSize> held = new HashMap<>();
    contents.forEach(
        entry -> held.merge(entry.key().form(), new HeldSize(1, entry.bytes()), HeldSize::and));
    return held;
  }

  @Override
  public int fresh() {
    long now = time.nanos();
    int[] fresh = {0};
    contents.forEach(entry -> fresh[0] += contents.mayServe(entry, now) ? 1 : 0);
    return fresh[0];
  }

  @Override
  public String gives() {
    if (closed) {
      return "the database's answers: the shelf is closed";
    } else if (!isFeedLost()) {
      int down = state.stoodDown().size();
      return (state.followsFeed()
              ? "kept answers"
              : "kept answers, as old as their TTL lets them be")
          + (down == 0
              ? ""
              : "; " + down + (down == 1 ? " form stands" : " forms stand") + " down");
    }
    String when = policy.lost().inWords();
    return when + ": no change is known of the last " + policy.tolerance().toMillis() + " ms";
  }

  @Override
  public EntryPage entries(EntryQuery asked) {
    return state.look().page(asked);
  }

  @Override
  public Optional<EntryDetail> entry(String digest) {
    ShelfLook look = state.look();
    return Optional.ofNullable(look.find(digest)).map(look::detail);
  }

  @Override
  public int clearEntry(String digest) {
    return contents.clearDigest(digest, state.look()::find);
  }

  @Override
  public int clearForm(String form) {
    state.acquit(form);
    return state.clearHeld(form);
  }

  /**
   * Has every question told to this recorder from now on, in place of any before; null for none.
   */
  public void recordTo(@Nullable Recorder told) {
    state.recorder().to(told);
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
    } else if (state.isAccused(key)) {
      return bypass(BypassReason.FOUND_WRONG, BypassReason.FOUND_WRONG.label(), key, request, view);
    }
    long timed = meters.timesThisHit() ? time.nanos() : 0;
    Watermark watermark = board.watermark();
    long now = time.coarseNanos();
    if (!state.isFeedLost(watermark, now)) {
      Entry kept = contents.servable(key, now);
      if (kept != null
          && state.isWithin(request.freshWithinNanos(), kept.loadBeganNanos(), watermark)) {
        Reading<V> reading = state.served(kept, Origin.KEPT, now, watermark, request, view);
        if (timed != 0) {
          meters.hitTook(time.nanos() - timed);
        }
        return reading;
      }
    }
    // Whatever is no plain hit is an object of its own, which looks again.
    return new Read<A, V, X>(state, key, request, view).answer();
  }

  /** The value under the key, or null if there is none that may be served. A hit or a miss. */
  public <V extends @Nullable Object> @Nullable Reading<V> get(Key key) {
    Watermark watermark = board.watermark();
    long now = time.coarseNanos();
    boolean lost = state.isFeedLost(watermark, now);
    boolean mayServe = !closed && !state.isAccused(key) && !(lost && state.lossBoundNanos() == 0);
    Entry entry = mayServe ? contents.freshIfStoreWorks(key) : null;
    if (entry == null
        || (lost && !state.isWithin(state.lossBoundNanos(), entry.loadBeganNanos(), watermark))) {
      meters.count(Count.MISSES);
      return null;
    }
    return state.<V, V>hit(entry, Origin.KEPT, now, watermark, value -> value);
  }

  /** What keeping a form's answers gives and costs; null if it is kept whatever it costs. */
  public @Nullable Balance balance(KeyShape form) {
    return state.balance(form);
  }

  @Override
  public List<StoodDown> stoodDown() {
    return state.stoodDown();
  }

  /**
   * Whether nothing is held here, and nothing is on its way here: what this shelf gives from now on
   * was asked of the database after this call.
   */
  public boolean holdsNothing() {
    return state.holdsNothing();
  }

  /** From now on values are put here that the shelf has not loaded; see {@link #put}. */
  public void takesValues() {
    state.isReachedFromOutside();
  }

  /**
   * The fence for a value that is about to be worked out; see {@link #put}. Take it before reading
   * anything that the value is made from.
   */
  public Fence fence() {
    return state.fence();
  }

  /**
   * Keeps a value. It is not kept if one of its lanes has changed since the fence.
   *
   * @param footprint what the value was made from
   * @param fence taken before the value was worked out
   * @return whether it is kept
   */
  public boolean put(Key key, @Nullable Object value, Footprint footprint, Fence fence) {
    return !closed && contents.keep(entry(key, value, footprint, fence, 0), () -> null, null);
  }

  /**
   * Tells of each answer that may be served just now, and is not to end with the process. Looks at
   * every entry.
   */
  public void tellOutliving(Consumer<Entry> told) {
    if (!closed && state.followsFeed() && !policy.expiry().withProcess()) {
      long now = time.nanos();
      contents.forEach(
          entry -> {
            if (contents.mayServe(entry, now)) {
              told.accept(entry);
            }
          });
    }
  }

  /**
   * An answer that another process has loaded as an entry of this shelf, not held yet.
   *
   * @param by which process that was
   * @param footprint what it was made from
   * @param fence such that all that the answer may miss has been ticked since
   * @param filledNanos when its load ended, on this process's monotonic clock
   * @param life how long it may be served after that, if the policy does not end it sooner
   */
  public Entry entryOf(
      LoadedBy by,
      Key key,
      @Nullable Object value,
      Footprint footprint,
      Fence fence,
      long filledNanos,
      Life life) {
    Renewable renewable = new Renewable(policy.renewal().looksAgain(), null);
    Life shorter = Lives.shorter(policy.expiry(), life, ShelfState.isEmpty(value));
    return new Entry(
        key,
        value,
        footprint,
        new Fill(fence, 0, filledNanos, shorter, renewable, by, state.given(key)));
  }

  /**
   * Puts an answer back that an earlier process had kept, if it may be of use, and nothing is held
   * under its key.
   *
   * @param entry as {@link #entryOf} made it
   * @return whether it is held now
   */
  public boolean putBack(Entry entry) {
    return !closed && contents.putBack(entry);
  }

  /** Whether an answer of this shelf may be served just now, held or not. */
  public boolean isServable(Entry entry) {
    return !closed && contents.isServable(entry);
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
    boolean kept = contents.keep(entry(key, value, footprint, fence, own), () -> null, null);
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

  @Override
  public void clear() {
    state.acquit("");
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
    A answer = request.loadAlone();
    long took = time.nanos() - began.nanos();
    meters.bypassTook(took);
    Balance balance = reason == BypassReason.STANDS_DOWN ? state.balance(key.form()) : null;
    if (balance != null) {
      balance.wasDirect(took);
    }
    Telling recorder = state.recorder();
    if (recorder.isOn()) {
      recorder.asked(name(), key, request.words(), Origin.DIRECT, took, answer, null);
    }
    return ShelfReading.direct(view.apply(answer), began, detail, state.ground());
  }

  /** Ends the audits. From now on the database answers each read. */
  @Override
  public void close() {
    closed = true;
    state.close();
  }

  @Override
  public boolean isFeedLost() {
    return state.isFeedLost();
  }

  @Override
  public List<NeedlessReloads> needless() {
    return state.warnings().needless();
  }

  @Override
  public Set<String> accused() {
    return state.accused();
  }

  private Entry entry(Key key, @Nullable Object value, Footprint footprint, Fence fence, long own) {
    Life life = Lives.of(policy.expiry(), ShelfState.isEmpty(value), time);
    return new Entry(
        key, value, footprint, new Fill(fence, own, time.nanos(), life, Renewable.NOT));
  }

  /**
   * Begins to note what a computation reads whose result is to be kept here.
   *
   * @param freshWithinNanos how stale what it reads may be, in nanoseconds
   */
  public Observation observe(long freshWithinNanos) {
    return new Observation(state.ground(), freshWithinNanos);
  }

  /**
   * A look at whether an answer that was read here may be given again without asking: it is fresh,
   * has not ended and has not been cleared, and the feed is not lost. Each look counts as a use. It
   * costs less than a question, since no key is made and nothing is looked up.
   *
   * @return always false for an answer that is for its caller alone
   */
  public BooleanSupplier stillServes(Reading<?> reading) {
    Entry entry = ShelfReading.of(reading).entry();
    if (entry == null || reading.unshared().isPresent()) {
      return () -> false;
    }
    state.isReachedFromOutside();
    Balance balance = state.balance(entry.key().form());
    if (balance != null) {
      balance.isUsedUnseen();
    }
    BooleanSupplier uncleared = contents.uncleared(entry);
    return new BooleanSupplier() {
      private volatile Looked last = new Looked(-1, 0);

      @Override
      public boolean getAsBoolean() {
        long settled = board.settled(); // before anything is looked at
        long now = time.coarseNanos();
        Looked before = last;
        if (before.settled() == settled && before.nanos() == now && !closed) {
          return true; // nothing has ticked since, and no time has passed
        }
        boolean serves =
            !closed
                && !state.isFeedLost(board.watermark(), now)
                && contents.mayServe(entry, now)
                && uncleared.getAsBoolean();
        if (serves) {
          entry.use(now);
          last = new Looked(settled, now);
        }
        return serves;
      }
    };
  }

  /** When an answer was last found to be good, by {@link Board#settled} and the coarse clock. */
  private record Looked(long settled, long nanos) {}

  /** What its reads decide by. */
  ShelfState state() {
    return state;
  }
}
