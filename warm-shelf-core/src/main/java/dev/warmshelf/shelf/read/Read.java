package dev.warmshelf.shelf.read;

import dev.warmshelf.base.Durations;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.fresh.HeldLanes;
import dev.warmshelf.fresh.LookBack;
import dev.warmshelf.key.Key;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Count;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.plan.Interest;
import dev.warmshelf.shelf.Loader;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.read.Load.Outcome;
import dev.warmshelf.store.Entry;
import dev.warmshelf.time.Watermark;
import java.lang.ref.Reference;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * One read, from the question to the answer: look at what is kept; else join a load that is under
 * way and good enough, or wait for the one that begins next, or load; then keep.
 *
 * <p>A load that began after the caller came is as good as a read of the caller's own. So callers
 * share loads even where nothing may be served from the shelf: while the feed is lost, and where
 * the caller wants an answer fresher than any that is kept.
 *
 * <p>A plain hit needs none of this: the shelf serves it before there is such an object.
 *
 * <p>Used once, by the thread that reads.
 */
final class Read<A extends @Nullable Object, V extends @Nullable Object, X extends Exception> {
  private static final Logger LOG = LoggerFactory.getLogger(Read.class);

  /** What this thread is loading just now, the innermost first. */
  private static final ThreadLocal<Deque<Read<?, ?, ?>>> LOADING =
      ThreadLocal.withInitial(ArrayDeque::new);

  private static final String SAMPLE = "what a direct read takes is looked at";
  private static final String SCHEMA_CHANGED = "the schema has changed while it was read";

  /** What is kept of rosters serves many answers, so they pay for answers that load faster. */
  private static final int ROSTERS_SHARE = 5;

  private final ShelfState shelf;
  private final Key key;
  private final ReadRequest<A, X> request;
  private final Function<? super A, ? extends V> view;

  /** What keeping its form gives and costs; null if that does not matter. */
  private final @Nullable Balance balance;

  /** Read before any lane is looked at: what it covers is in an answer that is found fresh. */
  private @Nullable Watermark watermark;

  /** How long before now a load may have begun that this caller can use. */
  private long boundNanos;

  /** Why nothing may be kept of this read, in words; null where it may. */
  private @Nullable String bypass;

  /** Whether it asks the database alone, to know what that takes. */
  private boolean samples;

  /** What was kept, and was found out of date; null if nothing was. */
  private @Nullable Entry invalidated;

  /** Why the database did not answer, if it failed to; null otherwise. */
  private @Nullable Exception failure;

  /** Which changes could make a difference to what is kept; null if any may. */
  private @Nullable Interest interest;

  /** Why what this thread has loaded is for its caller alone, in words; null if it is not. */
  private @Nullable String alone;

  /** Whether this thread's load gave what was kept before. */
  private boolean needless;

  /** How what is served was found. */
  private Origin origin = Origin.KEPT;

  /** The lanes that are known before a load. */
  private Footprint before = Footprint.NOTHING;

  /** What those get who wait for this thread's load, as long as nothing better is known. */
  private Outcome outcome = new Outcome.GivenUp();

  Read(
      ShelfState shelf, Key key, ReadRequest<A, X> request, Function<? super A, ? extends V> view) {
    this.shelf = shelf;
    this.key = key;
    this.request = request;
    this.view = view;
    this.balance = request.mayStandDown() ? shelf.balance(key.form()) : null;
  }

  /** What this thread is loading just now, for a thread that loads on its behalf. */
  static Deque<Read<?, ?, ?>> loading() {
    return new ArrayDeque<>(LOADING.get());
  }

  /** Says what this thread is loading from now on; returns what it was loading. */
  static Deque<Read<?, ?, ?>> loads(Deque<Read<?, ?, ?>> onBehalf) {
    Deque<Read<?, ?, ?>> before = LOADING.get();
    LOADING.set(onBehalf);
    return before;
  }

  Reading<V> answer() throws X {
    shelf.begins();
    try {
      return timed();
    } finally {
      shelf.ends();
    }
  }

  private Reading<V> timed() throws X {
    long began = shelf.ground().time().nanos();
    Reading<V> reading = found();
    long took = shelf.ground().time().nanos() - began;
    if (failure != null) {
      return reading; // the database has failed: nobody knows what it would have taken
    } else if (bypass == null) {
      boolean hit = reading.origin().isHit();
      shelf.meters().tookBeyondLoad(hit ? took : took - reading.loadNanos());
      if (balance != null) {
        balance.wasRead(took, hit ? 0 : reading.loadNanos(), origin == Origin.LOADED);
      }
    }
    return reading;
  }

  private Reading<V> found() throws X {
    watermark = shelf.ground().board().watermark();
    long now = shelf.ground().time().coarseNanos();
    boolean lost = shelf.isFeedLost(watermark, now);
    if (lost && shelf.lossBoundNanos() == 0) {
      return bypassing(BypassReason.FEED_LOST, BypassReason.FEED_LOST.label());
    }
    boundNanos =
        Math.min(request.freshWithinNanos(), lost ? shelf.lossBoundNanos() : Long.MAX_VALUE);
    Entry kept;
    try {
      kept = look(now);
    } catch (RuntimeException e) {
      shelf.contents().tellOnce("look up", e);
      return bypassing(BypassReason.SHELF_FAILED, "shelf failed: " + e);
    }
    if (kept == null) {
      shelf.meters().count(Count.MISSES);
      Events.miss(shelf.name(), key);
      if (balance != null && balance.samples()) {
        samples = true;
        bypass = SAMPLE;
      }
      return joinOrLoad();
    }
    return shelf.served(kept, origin, now, watermark, request, view);
  }

  /** Renews an answer on this thread, which is nobody's who waits for it. */
  static <B extends @Nullable Object, E extends Exception> void renew(
      ShelfState shelf, Key key, ReadRequest<B, E> request) {
    shelf.begins();
    try {
      new Read<B, B, E>(shelf, key, request, value -> value).renew();
    } catch (Exception e) {
      LOG.debug("Shelf '{}' could not renew {} in the background", shelf.name(), key, e);
    } finally {
      shelf.ends();
    }
  }

  /**
   * Renews what is kept, if it is out of date; on a thread that nobody waits for.
   *
   * @throws X what the loader threw
   */
  void renew() throws X {
    watermark = shelf.ground().board().watermark();
    long now = shelf.ground().time().coarseNanos();
    Entry found = shelf.contents().find(key);
    if (found == null || found.isExpired(now) || shelf.isFeedLost(watermark, now)) {
      return;
    }
    interest = shelf.interest(found, request);
    if (shelf.contents().mayServe(found, now) || revives(found) || shelf.loads().isLoading(key)) {
      return;
    }
    boundNanos = Long.MAX_VALUE;
    invalidated = found;
    before = request.lanes();
    Loads.Turn turn = shelf.loads().take(key, this::wouldDo, shelf::fence, 0);
    try {
      load(turn.load(), LOADING.get());
    } finally {
      if (origin != Origin.JOINED) {
        shelf.meters().count(Count.AHEAD);
      }
    }
  }

  /** What is kept, if it may be served to this caller. What may be served to nobody leaves. */
  private @Nullable Entry look(long now) {
    Entry found = shelf.contents().find(key);
    if (found == null) {
      return null;
    } else if (shelf.contents().mayServe(found, now) || revive(found, now)) {
      return shelf.isWithin(boundNanos, found.loadBeganNanos(), watermark) ? found : null;
    }
    invalidated = found.isExpired(now) ? null : found;
    OldAnswers takes = shelf.old(request);
    long missing = invalidated == null ? Long.MAX_VALUE : missingNanos(found);
    if (missing > shelf.longestOldNanos() || missing == Long.MAX_VALUE) {
      shelf.contents().drop(found, now);
    }
    if (missing <= Math.min(Durations.saturatedNanos(takes.whileLoading()), boundNanos)
        && (missing < Durations.saturatedNanos(takes.loadFrom())
            || shelf.isBeingRenewed(key, request, Read::renew))) {
      origin = Origin.OLD;
      shelf.meters().count(Count.OLD);
      Events.old(shelf.name(), key, missing);
      return found;
    }
    return null;
  }

  /**
   * For how long an entry that is out of date may have missed a change; for ever, if it may not be
   * served any more. What it misses none of becomes the watermark.
   */
  private long missingNanos(Entry found) {
    if (ShelfState.longestNanos(shelf.old(request)) == 0 && shelf.longestOldNanos() == 0) {
      return Long.MAX_VALUE;
    }
    Watermark covered = shelf.contents().misses(found, interest);
    if (covered == null) {
      return Long.MAX_VALUE;
    }
    watermark = covered;
    return Math.max(0, shelf.ground().time().nanos() - covered.nanos());
  }

  /** Whether an entry may be served after all: what has changed makes no difference to it. */
  private boolean revive(Entry found, long now) {
    if (found.isExpired(now)) {
      return false;
    }
    interest = shelf.interest(found, request);
    if (!revives(found)) {
      return false;
    }
    origin = Origin.REVIVED;
    shelf.meters().count(Count.REVIVED);
    Events.revived(shelf.name(), key);
    return true;
  }

  private boolean revives(Entry found) {
    Worth worth = shelf.worths(key.form()).looks();
    if (interest == null || !worth.tries(found.loadNanos())) {
      return false;
    }
    long began = shelf.ground().time().nanos();
    boolean dear = found.loadNanos() >= shelf.mendsFromNanos() / ROSTERS_SHARE;
    boolean revived =
        shelf.contents().revive(found, interest, touching -> dear && request.cannotReach(touching));
    worth.took(shelf.ground().time().nanos() - began, revived);
    return revived;
  }

  /** What is kept, though it may be out of date, where the database has failed to answer. */
  private @Nullable Reading<V> onFailure() {
    long bound =
        Math.min(
            Durations.saturatedNanos(shelf.old(request).whenFailing()),
            Math.max(0, request.freshWithinNanos()));
    long now = shelf.ground().time().nanos();
    Entry kept = bound == 0 ? null : findIfStoreWorks();
    if (kept == null || kept.isExpired(now)) {
      return null;
    }
    watermark = shelf.ground().board().watermark(); // before the lanes
    if (shelf.contents().isFresh(kept)) {
      if (!shelf.isWithin(bound, kept.loadBeganNanos(), watermark)) {
        return null;
      }
    } else if (missingNanos(kept) > bound) {
      return null;
    }
    shelf.meters().count(Count.OLD_ON_FAILURE);
    kept.use(shelf.ground().time().coarseNanos());
    shelf.record(key, request, Origin.OLD, kept);
    return shelf.reading(kept, Origin.OLD, now - kept.filledNanos(), watermark, view);
  }

  private @Nullable Entry findIfStoreWorks() {
    try {
      return shelf.contents().find(key);
    } catch (RuntimeException e) {
      shelf.contents().tellOnce("look up", e);
      return null;
    }
  }

  /** The database answers, and nothing is kept; callers who ask the same at once share one read. */
  private Reading<V> bypassing(BypassReason reason, String detail) throws X {
    shelf.meters().bypass(reason);
    boundNanos = 0;
    bypass = detail;
    return joinOrLoad();
  }

  private Reading<V> joinOrLoad() throws X {
    try {
      return joinedOrLoaded();
    } catch (Exception e) {
      Reading<V> old = e == failure ? onFailure() : null;
      if (old != null) {
        return old;
      }
      throw e;
    }
  }

  private Reading<V> joinedOrLoaded() throws X {
    Deque<Read<?, ?, ?>> loading = LOADING.get();
    requireNotLoading(loading);
    watermark = shelf.ground().board().watermark();
    before = request.lanes();
    HeldLanes exactly = shelf.ground().board().hold(before); // from before the load's fence
    try {
      return joinedOrLoaded(loading);
    } finally {
      Reference.reachabilityFence(exactly);
    }
  }

  private Reading<V> joinedOrLoaded(Deque<Read<?, ?, ?>> loading) throws X {
    // Whoever is loading holds what another load may need, if only this thread.
    long limit = loading.isEmpty() ? request.waitLimitNanos() : 0;
    while (true) {
      Loads.Turn turn = shelf.loads().take(key, this::wouldDo, shelf::fence, limit);
      if (turn.mine()) {
        Entry answer = load(turn.load(), loading);
        if (origin == Origin.JOINED) {
          shelf.meters().count(Count.JOINED);
        } else if (origin == Origin.MENDED) {
          shelf.audit(answer, Origin.MENDED, request);
        }
        Watermark covered = origin == Origin.SHARED ? watermark : null;
        return reading(answer, origin, covered).ofOwnLoad(alone, needless);
      }
      Outcome landed = turn.load().outcome();
      if (landed instanceof Outcome.Failed failed) {
        shelf.meters().count(Count.JOINED);
        noteFailure(failed.error());
        @SuppressWarnings("unchecked") // thrown by a load of the same question
        X same = (X) failed.error();
        throw same;
      } else if (landed instanceof Outcome.NotShared) {
        limit = 0;
      } else if (landed instanceof Outcome.Answered answered && isGoodFor(turn, answered.entry())) {
        shelf.meters().count(Count.JOINED);
        Events.joined(shelf.name(), key);
        boolean ofItsOwn = turn.beganAfterCall() && hasLoaded(turn.load(), answered.entry());
        return reading(answered.entry(), Origin.JOINED, ofItsOwn ? null : watermark);
      } // else: its caller gave up, or lanes that only the answer tells have changed
    }
  }

  private void noteFailure(Exception error) {
    if (request.isOfDatabase(error)) {
      failure = error;
    }
  }

  private Entry load(Load load, Deque<Read<?, ?, ?>> loading) throws X {
    loading.push(this);
    try {
      return lead(load);
    } finally {
      loading.pop();
      shelf.loads().land(key, load, outcome);
    }
  }

  private void requireNotLoading(Deque<Read<?, ?, ?>> loading) {
    for (Read<?, ?, ?> outer : loading) {
      if (outer.shelf == shelf && outer.key.equals(key)) {
        throw new IllegalStateException(
            "The load of "
                + key
                + " asks for its own answer, and would wait for itself. Ask the database there.");
      }
    }
  }

  /** Whether a load that runs already can answer this caller. */
  private boolean wouldDo(Load running) {
    return shelf.isWithin(boundNanos, running.fence().nanos(), watermark)
        && shelf.contents().isFresh(key, before, running.fence().tick());
  }

  /** Whether another caller's load answers this one, now that it has landed. */
  private boolean isGoodFor(Loads.Turn turn, Entry landed) {
    if (hasLoaded(turn.load(), landed)) {
      return turn.beganAfterCall()
          || landed.footprint().equals(before)
          || shelf.contents().isFresh(landed);
    }
    return shelf.isWithin(boundNanos, landed.loadBeganNanos(), watermark)
        && shelf.contents().isFresh(landed);
  }

  /** Whether a load has read what it gave, and not found it somewhere, as old as it may be. */
  private static boolean hasLoaded(Load load, Entry landed) {
    return landed.loadBeganNanos() - load.fence().nanos() >= 0;
  }

  /** Loads and keeps. */
  private Entry lead(Load load) throws X {
    Entry justKept = justKept();
    if (justKept != null) {
      return asKept(justKept);
    }
    Others others = bypass == null ? request.fromOthers() : null;
    if (others == null) {
      return mendOrLoad(load.fence(), null);
    }
    long wait =
        Math.min(request.waitLimitNanos(), Durations.saturatedNanos(shelf.policy().patience()));
    try (Others.Turn turn = others.take(key, this::takesOver, wait)) {
      if (turn.found() instanceof Others.Found.Answer answer) {
        outcome = new Outcome.Answered(answer.entry());
        origin = Origin.SHARED;
        shelf.meters().count(Count.SHARED);
        return answer.entry();
      }
      boolean late = turn.found() instanceof Others.Found.Nothing nothing && nothing.late();
      return mendOrLoad(late ? shelf.fence() : load.fence(), turn);
    }
  }

  /** Keeps an answer of another process, if this caller can use it. */
  private boolean takesOver(Entry entry) {
    watermark = shelf.ground().board().watermark(); // before the lanes
    return shelf.isWithin(boundNanos, entry.loadBeganNanos(), watermark)
        && shelf.contents().takeOver(entry, () -> shelf.interest(entry, request), invalidated);
  }

  private Entry mendOrLoad(Fence fence, Others.@Nullable Turn turn) throws X {
    // Read after the fence: whatever changes the schema from now on invalidates the answer.
    boolean lanesHold = request.holdsFor(shelf.ground().board().schemaVersion());
    Entry mended = lanesHold ? mended(fence, turn) : null;
    if (mended != null) {
      return mended;
    }
    origin = Origin.LOADED;
    A value = loaded();
    Entry entry =
        shelf.loaded(key, value, request.lanes(before, value), fence, request, Read::renew);
    tell(entry.loadNanos());
    shelf.warnings().loaded(entry);
    if (invalidated != null) {
      needless = ShelfState.saysTheSame(invalidated, value, request);
      if (needless) {
        shelf.meters().count(Count.NEEDLESS);
      }
      shelf.warnings().reloaded(invalidated, needless, entry.loadNanos(), request);
    }
    alone = lanesHold ? request.unshareable(value) : SCHEMA_CHANGED;
    if (alone != null) {
      outcome = new Outcome.NotShared();
    } else {
      outcome = new Outcome.Answered(entry);
      if (bypass == null) {
        keep(entry);
      }
      if (turn != null) {
        turn.loaded(entry);
      }
    }
    return entry;
  }

  /** Tells the meters of a load of so many nanoseconds. */
  private void tell(long loadNanos) {
    if (bypass == null) {
      shelf.meters().loaded(loadNanos);
    } else {
      shelf.meters().bypassTook(loadNanos);
    }
    if (balance != null && samples) {
      balance.wasDirect(loadNanos);
    }
  }

  /** Whoever stands down meanwhile either sees it kept, or is seen. */
  private void keep(Entry entry) {
    shelf.contents().keep(entry, () -> shelf.interest(entry, request), invalidated);
    if (balance != null && balance.isDown()) {
      shelf.contents().leave(entry);
    }
  }

  /**
   * What was found out of date, with what changes have touched of it asked for anew, be it nothing;
   * null where that cannot be done. It is fresh once the board knows of all that had committed when
   * it was asked for: then all of it is of one moment.
   */
  private @Nullable Entry mended(Fence fence, Others.@Nullable Turn turn) throws X {
    Entry old = invalidated;
    Interest which = interest;
    if (old == null || which == null || bypass != null) {
      return null;
    }
    Worth worth = shelf.worths(key.form()).mending();
    if (!worth.tries(old.loadNanos())) {
      return null;
    }
    long began = shelf.ground().time().nanos();
    Entry entry = mended(fence, old, which, turn);
    worth.took(shelf.ground().time().nanos() - began, entry != null);
    return entry;
  }

  private @Nullable Entry mended(Fence fence, Entry old, Interest which, Others.@Nullable Turn turn)
      throws X {
    LookBack changes = shelf.contents().touching(old, which);
    if (changes == null) {
      return null;
    } else if (changes.findsNothing()) { // nobody has looked, for it was not worth it
      boolean holds =
          shelf.contents().revive(old, which, any -> false)
              && shelf.isWithin(boundNanos, old.loadBeganNanos(), null);
      return holds ? asKept(old) : null;
    }
    @SuppressWarnings({"unchecked", "NullAway"}) // a key belongs to one kind of question, and type
    Loader<@Nullable A, X> mending = request.mending((A) old.value(), changes);
    if (mending == null) {
      return null;
    }
    Entry entry = mended(fence, old, changes, mending);
    if (entry == null) {
      shelf.meters().count(Count.UNMENDED);
    } else if (turn != null) {
      turn.loaded(entry);
    }
    return entry;
  }

  private @Nullable Entry mended(
      Fence fence, Entry old, LookBack changes, Loader<@Nullable A, X> mending) throws X {
    long began = shelf.ground().time().nanos();
    A value = mending.load();
    if (value == null || request.unshareable(value) != null) {
      return null;
    }
    Fence upTo = new Fence(changes.through(), fence.nanos());
    Entry entry = old.mended(value, request.lanes(before, value), upTo);
    if (!shelf.contents().keepFresh(entry, () -> interestOfMended(entry, old), old)) {
      return null;
    }
    outcome = new Outcome.Answered(entry);
    origin = Origin.MENDED;
    long took = shelf.ground().time().nanos() - began;
    shelf.meters().mended(took);
    if (value == old.value()) {
      shelf.meters().count(Count.PROBED);
    }
    Events.mended(shelf.name(), key, took);
    return entry;
  }

  /** Which changes since the parts were found touched could make a difference to what is mended. */
  private @Nullable Interest interestOfMended(Entry entry, Entry old) {
    Interest all = shelf.interest(entry, request);
    return all == null || entry.value() == old.value() ? all : all.ofSeveralMoments();
  }

  /**
   * Between this caller's look and its load another one may have landed, or another caller may have
   * found out, by a look of his own, that what was out of date is not.
   */
  private @Nullable Entry justKept() {
    if (bypass != null) {
      return null;
    }
    Entry entry = shelf.contents().freshIfStoreWorks(key);
    Entry old = invalidated;
    if (entry == null && old != null && shelf.contents().isFresh(old)) {
      entry = old;
    }
    return entry != null && shelf.isWithin(boundNanos, entry.loadBeganNanos(), null) ? entry : null;
  }

  /** Nothing is asked of the database. */
  private Entry asKept(Entry entry) {
    outcome = new Outcome.Answered(entry);
    origin = Origin.JOINED;
    return entry;
  }

  private A loaded() throws X {
    try {
      return samples ? request.loadAlone() : request.load();
    } catch (Exception e) {
      shelf.meters().count(Count.LOAD_FAILURES);
      noteFailure(e);
      boolean ofItsOwn = request.waitLimitNanos() == 0 || Thread.currentThread().isInterrupted();
      outcome = ofItsOwn ? new Outcome.GivenUp() : new Outcome.Failed(e);
      throw e;
    }
  }

  private ShelfReading<V> reading(Entry entry, Origin origin, @Nullable Watermark covered) {
    shelf.record(key, request, bypass == null ? origin : Origin.DIRECT, entry);
    if (bypass == null) {
      long age =
          origin == Origin.SHARED
              ? Math.max(0, shelf.ground().time().nanos() - entry.filledNanos())
              : 0;
      return shelf.reading(entry, origin, age, covered, view);
    }
    @SuppressWarnings("unchecked") // a key belongs to one kind of question, and so to one type
    A answer = (A) entry.value();
    Watermark began = new Watermark(entry.loadBeganNanos());
    return ShelfReading.direct(view.apply(answer), began, bypass, shelf.ground());
  }
}
