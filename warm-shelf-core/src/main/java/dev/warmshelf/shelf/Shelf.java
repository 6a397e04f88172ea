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
import dev.warmshelf.store.Content;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Fill;
import dev.warmshelf.store.Fill.Life;
import dev.warmshelf.store.Fill.LoadedBy;
import dev.warmshelf.store.Fill.Renewable;
import dev.warmshelf.store.Keeper;
import dev.warmshelf.store.Store;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.BooleanSupplier;
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

  /** So long after a sweep the next one begins at the earliest. */
  private static final long SWEEP_NANOS = 1_000_000_000;

  /** A sweep is followed by a pause of at least so many times what it took. */
  private static final long SWEEP_REST = 50;

  private final String name;
  private final Policy policy;
  private final Ground ground;
  private final Board board;
  private final TimeSource time;
  private final Meters meters = new Meters();
  private final ShelfContents contents;
  private final boolean followsFeed;
  private final long toleranceNanos;
  private final long lossBoundNanos;
  private final @Nullable Auditor auditor;
  private final @Nullable Ahead ahead;
  private final Loads loads;
  private final Warnings warnings;

  /** By the upkeep's thread alone. */
  private long sweepsAgain;

  private final Telling recorder;
  private final MendingWorth mendingWorth;
  private final Set<String> accused = ConcurrentHashMap.newKeySet();

  /** Whether there are any; looked at by each read. */
  private volatile boolean isAccusing;

  private volatile boolean closed;

  /** When to keep an answer that was made from an own write. */
  public enum WriteThrough {
    /** Only if the shelf holds an answer to the question, fresh or not. */
    IF_KEPT,
    ANYWAY
  }

  /**
   * A shelf that holds its entries in memory, alone: in room of its own, with nothing done in the
   * background.
   */
  public Shelf(String name, Policy policy, Board board, TimeSource time, Ground.Trust trust) {
    this(name, policy, Ground.of(board, time, trust));
  }

  /** A shelf that holds its entries in memory. */
  public Shelf(String name, Policy policy, Ground ground) {
    this(
        name,
        policy,
        ground,
        keeper ->
            new BoundedStore(
                policy.capacity().ofItsOwn()
                    ? policy.capacity().room(ground.time())
                    : ground.room(),
                keeper));
  }

  /**
   * @param storeOf makes the store, given who knows what its entries are good for
   * @throws IllegalArgumentException if nothing would ever change its answers: neither a feed nor a
   *     TTL
   */
  public Shelf(String name, Policy policy, Ground ground, Function<Keeper, Store> storeOf) {
    this.name = Objects.requireNonNull(name, "name");
    this.recorder = new Telling("shelf '" + name + "'");
    this.policy = Objects.requireNonNull(policy, "policy");
    this.ground = Objects.requireNonNull(ground, "ground");
    this.board = ground.board();
    this.time = ground.time();
    this.followsFeed = ground.trust() == Ground.Trust.FEED;
    this.loads = new Loads(time, policy.patienceNanos());
    this.warnings =
        new Warnings(
            name,
            Policy.saturatedNanos(policy.oversight().slowLoad()),
            ground.board(),
            ground.time());
    this.contents = new ShelfContents(name, policy, ground, meters, storeOf);
    this.mendingWorth = new MendingWorth(policy.renewal().mendsFromNanos());
    this.toleranceNanos = policy.trust().toleranceNanos();
    this.lossBoundNanos = policy.trust().lossBoundNanos();
    if (!followsFeed && !policy.expiry().endsAll()) {
      throw new IllegalArgumentException(
          "Shelf '"
              + name
              + "' follows no feed and has no TTL, so its answers would never change. Give it one"
              + " of the two.");
    }
    this.auditor =
        policy.oversight().audit().isNone()
            ? null
            : new Auditor(name, policy.oversight().audit(), board, time, meters, this::takeOff);
    this.ahead =
        policy.renewal().aheadShare() == 0 ? null : new Ahead(name, policy.renewal(), ground);
    ground.upkeep().add(this);
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

  /** About how many bytes the answers take that are held just now. */
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

  /** How many answers may be served just now. Looks at every entry. */
  public int fresh() {
    long now = time.nanos();
    int[] fresh = {0};
    contents.forEach(entry -> fresh[0] += contents.mayServe(entry, now) ? 1 : 0);
    return fresh[0];
  }

  /** What reads get just now, in words. */
  public String gives() {
    if (closed) {
      return "the database's answers: the shelf is closed";
    } else if (!isFeedLost()) {
      return followsFeed ? "kept answers" : "kept answers, as old as their TTL lets them be";
    }
    String when = policy.trust().whenLost().inWords();
    return when
        + ": no change is known of the last "
        + policy.trust().tolerance().toMillis()
        + " ms";
  }

  /** What is held, for somebody who looks from outside. Looks at every entry. */
  public EntryPage entries(EntryQuery asked) {
    return look().page(asked);
  }

  /**
   * One of the entries. Looks at every entry.
   *
   * @param digest the beginning of its key's digest
   */
  public Optional<EntryDetail> entry(String digest) {
    ShelfLook look = look();
    return Optional.ofNullable(look.find(digest)).map(look::detail);
  }

  /** Whether no hit of it is being audited, or waits for it. */
  boolean isIdle() {
    return auditor == null || auditor.isIdle();
  }

  private ShelfLook look() {
    return new ShelfLook(contents, board, policy.oversight().shown(), time.nanos());
  }

  /**
   * Invalidates the answers to one question: what is held, what is being loaded, and what comes
   * from another process. Looks at every entry.
   *
   * @param digest the beginning of its key's digest
   * @return how many entries have left
   */
  public int clearEntry(String digest) {
    return contents.clearDigest(digest, look());
  }

  /**
   * Invalidates the answers to all questions of a form: what is held, what is being loaded, and
   * what comes from another process. Looks at every entry.
   *
   * @param form the beginning of the form's digest
   * @return how many entries have left
   */
  public int clearForm(String form) {
    acquit(form);
    return clearHeld(form);
  }

  private int clearHeld(String form) {
    return contents.clearForm(form, look());
  }

  /**
   * Has every question told to this recorder from now on, in place of any before; null for none.
   */
  public void recordTo(@Nullable Recorder told) {
    recorder.to(told);
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
    } else if (isAccused(key)) {
      return bypass(BypassReason.FOUND_WRONG, BypassReason.FOUND_WRONG.label(), key, request, view);
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
    if (origin != Origin.OLD) { // of which it is known that it may differ
      audit(kept, origin, request);
    }
    record(kept.key(), request, origin, kept);
    return reading;
  }

  /** The value under the key, or null if there is none that may be served. A hit or a miss. */
  public <V extends @Nullable Object> @Nullable Reading<V> get(Key key) {
    Watermark watermark = board.watermark();
    long now = time.coarseNanos();
    boolean lost = isFeedLost(watermark, now);
    boolean mayServe = !closed && !isAccused(key) && !(lost && lossBoundNanos == 0);
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
    return !closed && contents.keep(entry(key, value, footprint, fence, 0), () -> null, null);
  }

  /**
   * Tells of each answer that may be served just now, and is not to end with the process. Looks at
   * every entry.
   */
  public void tellOutliving(Consumer<Entry> told) {
    if (!closed && followsFeed && !policy.expiry().withProcess()) {
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
    Life shorter = policy.expiry().shorter(life, isEmpty(value));
    return new Entry(
        key, value, footprint, new Fill(fence, 0, filledNanos, shorter, renewable, by));
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

  /** Invalidates all answers, in constant time. None whose load has begun by now is served. */
  public void clear() {
    acquit("");
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
    long took = time.nanos() - began.nanos();
    meters.bypassTook(took);
    if (recorder.isOn()) {
      recorder.asked(name, key, request.words(), Origin.DIRECT, took, answer, null);
    }
    return Reading.direct(view.apply(answer), began, detail, ground);
  }

  void record(Key key, ReadRequest<?, ?> request, Origin outcome, Entry entry) {
    if (recorder.isOn()) {
      recorder.asked(
          name, key, request.words(), outcome, entry.loadNanos(), entry.value(), entry.footprint());
    }
  }

  /** Ends the audits. From now on the database answers each read. */
  @Override
  public void close() {
    closed = true;
    ground.upkeep().remove(this);
    if (auditor != null) {
      auditor.close();
    }
  }

  boolean renewsAhead() {
    return ahead != null;
  }

  /** What is to be done from time to time, whoever asks or not. */
  void keepUp() {
    if (ahead != null && !isFeedLost()) {
      ahead.round(contents);
    }
    if (auditor != null && !isFeedLost()) {
      auditor.round(ground.upkeep());
    }
    long now = time.nanos();
    if (now - sweepsAgain >= 0) {
      contents.sweep();
      long took = time.nanos() - now;
      sweepsAgain = now + Math.max(SWEEP_NANOS, SWEEP_REST * took);
    }
  }

  /** Renews an answer on this thread, which is nobody's who waits for it. */
  <A extends @Nullable Object, X extends Exception> void renew(Key key, ReadRequest<A, X> request) {
    try {
      new Read<A, A, X>(this, key, request, value -> value).renew();
    } catch (Exception e) {
      LOG.debug("Shelf '{}' could not renew {} in the background", name, key, e);
    }
  }

  /**
   * Has an answer renewed in the background, unless somebody is about it.
   *
   * @return false if that cannot be done
   */
  <A extends @Nullable Object> boolean isBeingRenewed(Key key, ReadRequest<A, ?> request) {
    if (loads.isLoading(key)) {
      return true;
    }
    ReadRequest<A, ?> elsewhere = request.elsewhere();
    return elsewhere != null
        && ground.upkeep().renew(Ahead.naming(name, key), () -> renew(key, elsewhere))
            != Upkeep.Begun.NOT;
  }

  /** Whether the feed has been silent for longer than the policy tolerates. */
  public boolean isFeedLost() {
    return isFeedLost(board.watermark(), time.nanos());
  }

  boolean isFeedLost(@Nullable Watermark watermark, long now) {
    return followsFeed && (watermark == null || now - watermark.nanos() > toleranceNanos);
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
        || (followsFeed && watermark != null && now - watermark.nanos() <= bound);
  }

  private <A extends @Nullable Object, V extends @Nullable Object> Reading<V> hit(
      Entry entry,
      Origin origin,
      long now,
      @Nullable Watermark watermark,
      Function<? super A, ? extends V> view) {
    entry.use(now);
    meters.hit(entry.loadNanos());
    long age = Math.max(0, now - entry.filledNanos());
    Events.hit(name, entry.key(), age);
    return reading(entry, origin, age, watermark, view);
  }

  /**
   * What changes invalidated needlessly, by table, that first whose needless reloads took the
   * database longest; empty if there was nothing of that.
   */
  public List<NeedlessReloads> needless() {
    return warnings.needless();
  }

  Warnings warnings() {
    return warnings;
  }

  MendingWorth mendingWorth() {
    return mendingWorth;
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
  <A extends @Nullable Object, X extends Exception> void audit(
      Entry hit, Origin origin, ReadRequest<A, X> request) {
    Auditor sampling = auditor;
    if (sampling != null && sampling.picks(origin)) {
      ReadRequest<A, ?> elsewhere = request.elsewhere();
      if (elsewhere != null) {
        sampling.choose(hit, origin, new Comparison<>(hit, elsewhere));
      }
    }
  }

  /** Reads a hit again directly, and compares. */
  private final class Comparison<A extends @Nullable Object> implements Auditor.Check {
    private final Entry entry;
    private final ReadRequest<A, ?> elsewhere;

    Comparison(Entry entry, ReadRequest<A, ?> elsewhere) {
      this.entry = entry;
      this.elsewhere = elsewhere;
    }

    @Override
    public boolean mayAsk() {
      return elsewhere.mayAskAside();
    }

    @Override
    public @Nullable String difference() throws Exception {
      A value = elsewhere.load();
      String alone = elsewhere.unshareable(value);
      if (alone != null) {
        throw new IllegalStateException("It cannot be compared: " + alone);
      }
      @SuppressWarnings({"unchecked", "NullAway"}) // a key belongs to one kind of question
      String difference =
          saysTheSame(entry, value, elsewhere)
              ? null
              : elsewhere.difference((A) entry.value(), value);
      return difference;
    }

    @Override
    public boolean wouldBeServed() {
      return contents.isServable(entry)
          || contents.revive(entry, interest(entry, elsewhere), touching -> false);
    }

    @Override
    public boolean isDecided() {
      return elsewhere.isDecided();
    }
  }

  /** From now on nothing is kept of a form, until it is cleared. */
  private void takeOff(KeyShape form) {
    accused.add(form.formDigest());
    isAccusing = true;
    clearHeld(form.formDigest());
  }

  private boolean isAccused(Key key) {
    return isAccusing && accused.contains(key.form().formDigest());
  }

  /**
   * The forms of which an audit has found an answer wrong, by the beginnings of their digests: the
   * database answers their questions until they are cleared, or the shelf is.
   */
  public Set<String> accused() {
    return Set.copyOf(accused);
  }

  /** Clearing whatever begins so clears a form's name as well. */
  private void acquit(String form) {
    accused.removeIf(each -> each.startsWith(form) || form.startsWith(each));
    isAccusing = !accused.isEmpty();
  }

  private Entry entry(Key key, @Nullable Object value, Footprint footprint, Fence fence, long own) {
    Life life = policy.expiry().life(isEmpty(value), time);
    return new Entry(
        key, value, footprint, new Fill(fence, own, time.nanos(), life, Renewable.NOT));
  }

  /** The entry of an answer that has just been loaded. */
  <A extends @Nullable Object> Entry loaded(
      Key key, A value, Footprint footprint, Fence fence, ReadRequest<A, ?> request) {
    Expiry asked = request.expiry();
    Life asPolicy = (asked == null ? policy.expiry() : asked).life(isEmpty(value), time);
    ReadRequest<A, ?> elsewhere = ahead == null ? null : request.elsewhere();
    Runnable renewal = elsewhere == null ? null : () -> renew(key, elsewhere);
    boolean looks = policy.renewal().looksAgain() && request.interest(value) != null;
    Renewable renewable = new Renewable(looks, renewal);
    long now = time.nanos();
    if (auditor != null) {
      auditor.hasLoaded(now - fence.nanos());
    }
    Life life = request.noLongerThan(asPolicy);
    Fill fill = new Fill(request.since(fence), 0, now, life, renewable);
    return new Entry(key, value, footprint, fill, now - fence.nanos());
  }

  private static boolean isEmpty(@Nullable Object value) {
    return value == null
        || (value instanceof Content content && content.rows() == 0)
        || (value instanceof Collection<?> all && all.isEmpty())
        || (value instanceof Optional<?> maybe && maybe.isEmpty());
  }

  <A extends @Nullable Object, V extends @Nullable Object> Reading<V> reading(
      Entry entry,
      Origin origin,
      long ageNanos,
      @Nullable Watermark watermark,
      Function<? super A, ? extends V> view) {
    @SuppressWarnings("unchecked") // a key belongs to one kind of question, and so to one type
    A kept = (A) entry.value();
    Watermark counts = followsFeed ? watermark : null;
    return Reading.of(view.apply(kept), origin, ageNanos, counts, entry, ground);
  }

  /**
   * Begins to note what a computation reads whose result is to be kept here.
   *
   * @param freshWithinNanos how stale what it reads may be, in nanoseconds
   */
  public Observation observe(long freshWithinNanos) {
    return new Observation(ground, freshWithinNanos);
  }

  /**
   * A look at whether an answer that was read here may be given again without asking: it is fresh,
   * has not ended and has not been cleared, and the feed is not lost. Each look counts as a use. It
   * costs less than a question, since no key is made and nothing is looked up.
   *
   * @return always false for an answer that is for its caller alone
   */
  public BooleanSupplier stillServes(Reading<?> reading) {
    Entry entry = reading.entry();
    if (entry == null || reading.unshared().isPresent()) {
      return () -> false;
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
                && !isFeedLost(board.watermark(), now)
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

  Ground ground() {
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

  /** Which old answers a caller takes. */
  OldAnswers old(ReadRequest<?, ?> request) {
    OldAnswers asked = request.old();
    return asked == null ? policy.old() : asked;
  }
}
