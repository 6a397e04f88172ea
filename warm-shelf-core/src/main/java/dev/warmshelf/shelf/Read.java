package dev.warmshelf.shelf;

import dev.warmshelf.fresh.Fence;
import dev.warmshelf.fresh.LookBack;
import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Footprint;
import dev.warmshelf.lane.Interest;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Events;
import dev.warmshelf.shelf.Load.Outcome;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Fill;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

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
  /** What this thread is loading just now, the innermost first. */
  private static final ThreadLocal<Deque<Read<?, ?, ?>>> LOADING =
      ThreadLocal.withInitial(ArrayDeque::new);

  private final Shelf shelf;
  private final Key key;
  private final ReadRequest<A, X> request;
  private final Function<? super A, ? extends V> view;

  /** Read before any lane is looked at: what it covers is in an answer that is found fresh. */
  private @Nullable Watermark watermark;

  /** How long before now a load may have begun that this caller can use. */
  private long boundNanos;

  /** Why nothing may be kept of this read, in words; null where it may. */
  private @Nullable String bypass;

  /** What was kept, and was found out of date; null if nothing was. */
  private @Nullable Entry invalidated;

  /** Which changes could make a difference to what is kept; null if any may. */
  private @Nullable Interest interest;

  /** How what is served was found. */
  private Origin origin = Origin.KEPT;

  /** The lanes that are known before a load. */
  private Footprint before = Footprint.NOTHING;

  /** What those get who wait for this thread's load, as long as nothing better is known. */
  private Outcome outcome = new Outcome.GivenUp();

  Read(Shelf shelf, Key key, ReadRequest<A, X> request, Function<? super A, ? extends V> view) {
    this.shelf = shelf;
    this.key = key;
    this.request = request;
    this.view = view;
  }

  Reading<V> answer() throws X {
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
      return joinOrLoad();
    }
    return shelf.served(kept, origin, now, watermark, request, view);
  }

  /** What is kept, if it may be served to this caller. What may be served to nobody leaves. */
  private @Nullable Entry look(long now) {
    Entry found = shelf.contents().find(key);
    if (found == null) {
      return null;
    } else if (!shelf.contents().mayServe(found, now) && !revive(found, now)) {
      shelf.contents().drop(found, now);
      invalidated = found.isExpired(now) ? null : found;
      return null;
    }
    return shelf.isWithin(boundNanos, found.loadBeganNanos(), watermark) ? found : null;
  }

  /** Whether an entry may be served after all: what has changed makes no difference to it. */
  private boolean revive(Entry found, long now) {
    if (found.isExpired(now)) {
      return false;
    }
    interest = shelf.interest(found, request);
    if (!shelf.contents().revive(found, interest)) {
      return false;
    }
    origin = Origin.REVIVED;
    shelf.meters().count(Count.REVIVED);
    Events.revived(shelf.name(), key);
    return true;
  }

  /** The database answers, and nothing is kept; callers who ask the same at once share one read. */
  private Reading<V> bypassing(BypassReason reason, String detail) throws X {
    shelf.meters().bypass(reason);
    boundNanos = 0;
    bypass = detail;
    return joinOrLoad();
  }

  private Reading<V> joinOrLoad() throws X {
    Deque<Read<?, ?, ?>> loading = LOADING.get();
    requireNotLoading(loading);
    watermark = shelf.ground().board().watermark();
    before = request.lanes();
    // Whoever is loading holds what another load may need, if only this thread.
    long limit = loading.isEmpty() ? request.waitLimitNanos() : 0;
    while (true) {
      Loads.Turn turn = shelf.loads().take(key, this::wouldDo, shelf::fence, limit);
      if (turn.mine()) {
        return load(turn.load(), loading);
      }
      Outcome landed = turn.load().outcome();
      if (landed instanceof Outcome.Failed failed) {
        shelf.meters().count(Count.JOINED);
        @SuppressWarnings("unchecked") // thrown by a load of the same question
        X same = (X) failed.error();
        throw same;
      } else if (landed instanceof Outcome.NotShared) {
        limit = 0;
      } else if (landed instanceof Outcome.Answered answered
          && (turn.beganAfterCall() || isGoodFor(answered.entry()))) {
        shelf.meters().count(Count.JOINED);
        Events.joined(shelf.name(), key);
        return reading(answered.entry(), Origin.JOINED, turn.beganAfterCall() ? null : watermark);
      } // else: its caller gave up, or lanes that only the answer tells have changed
    }
  }

  private Reading<V> load(Load load, Deque<Read<?, ?, ?>> loading) throws X {
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

  /** Whether a load that ran already when this caller came answers it, now that it has landed. */
  private boolean isGoodFor(Entry landed) {
    return landed.footprint().equals(before) || shelf.contents().isFresh(landed);
  }

  /** Loads, keeps and answers. */
  private Reading<V> lead(Load load) throws X {
    Entry justKept = justKept();
    if (justKept != null) {
      outcome = new Outcome.Answered(justKept);
      shelf.meters().count(Count.JOINED);
      return reading(justKept, Origin.JOINED, null);
    }
    // Read after the fence: whatever changes the schema from now on invalidates the answer.
    boolean lanesHold = request.holdsFor(shelf.ground().board().schemaVersion());
    Entry mended = lanesHold ? mended(load) : null;
    if (mended != null) {
      return reading(mended, Origin.MENDED, null);
    }
    A value = loaded();
    long ended = shelf.ground().time().nanos();
    Footprint all = request.lanes(before, value);
    Entry entry =
        new Entry(key, value, all, new Fill(load.fence(), 0, ended, shelf.lifetimeNanos()));
    shelf.meters().loaded(entry.loadNanos());
    if (invalidated != null && Shelf.saysTheSame(invalidated, value, request)) {
      shelf.meters().count(Count.NEEDLESS);
    }
    if (!lanesHold || !request.mayBeShared(value)) {
      outcome = new Outcome.NotShared();
    } else {
      outcome = new Outcome.Answered(entry);
      if (bypass == null) {
        shelf.contents().keep(entry, () -> shelf.interest(entry, request));
      }
    }
    return reading(entry, Origin.LOADED, null);
  }

  /**
   * What was found out of date, with what changes have touched of it asked for anew; null where
   * that cannot be done. It is fresh once the board knows of all that had committed when it was
   * asked for: then all of it is of one moment.
   */
  private @Nullable Entry mended(Load load) throws X {
    Entry old = invalidated;
    if (old == null || bypass != null || old.loadNanos() < shelf.mendsFromNanos()) {
      return null;
    }
    LookBack changes = interest == null ? null : shelf.contents().touching(old, interest);
    if (changes == null) {
      return null;
    }
    @SuppressWarnings({"unchecked", "NullAway"}) // a key belongs to one kind of question, and type
    Loader<@Nullable A, X> mending = request.mending((A) old.value(), changes.touching());
    if (mending == null) {
      return null;
    }
    Entry entry = mended(load, old, changes, mending);
    if (entry == null) {
      shelf.meters().count(Count.UNMENDED);
    }
    return entry;
  }

  private @Nullable Entry mended(
      Load load, Entry old, LookBack changes, Loader<@Nullable A, X> mending) throws X {
    long began = shelf.ground().time().nanos();
    A value = mending.load();
    if (value == null || !request.mayBeShared(value)) {
      return null;
    }
    Fence upTo = new Fence(changes.through(), load.fence().nanos());
    Entry entry = old.mended(value, request.lanes(before, value), upTo);
    if (!shelf.contents().keep(entry, () -> shelf.interest(entry, request))) {
      return null;
    }
    long took = shelf.ground().time().nanos() - began;
    shelf.meters().mended(took);
    Events.mended(shelf.name(), key, took);
    outcome = new Outcome.Answered(entry);
    return entry;
  }

  /** Between this caller's look and its load another one may have landed. */
  private @Nullable Entry justKept() {
    if (bypass != null) {
      return null;
    }
    Entry entry = shelf.contents().freshIfStoreWorks(key);
    return entry != null && shelf.isWithin(boundNanos, entry.loadBeganNanos(), null) ? entry : null;
  }

  private A loaded() throws X {
    try {
      return request.load();
    } catch (Exception e) {
      shelf.meters().count(Count.LOAD_FAILURES);
      boolean ofItsOwn = request.waitLimitNanos() == 0 || Thread.currentThread().isInterrupted();
      outcome = ofItsOwn ? new Outcome.GivenUp() : new Outcome.Failed(e);
      throw e;
    }
  }

  private Reading<V> reading(Entry entry, Origin origin, @Nullable Watermark covered) {
    shelf.record(key, request, bypass == null ? origin : Origin.DIRECT, entry);
    if (bypass == null) {
      return shelf.reading(entry, origin, 0, covered, view);
    }
    @SuppressWarnings("unchecked") // a key belongs to one kind of question, and so to one type
    A answer = (A) entry.value();
    Watermark began = new Watermark(entry.loadBeganNanos());
    return Reading.direct(view.apply(answer), began, bypass, shelf.ground());
  }
}
