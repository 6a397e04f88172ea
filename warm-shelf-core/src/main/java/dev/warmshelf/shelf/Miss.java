package dev.warmshelf.shelf;

import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Footprint;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Events;
import dev.warmshelf.shelf.Load.Outcome;
import dev.warmshelf.store.Entry;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * One read that the shelf had no answer for, from the question to the answer: join a load that is
 * under way and good enough, or wait for the one that begins next, or load; then keep.
 *
 * <p>A load that began after the caller came is as good as a read of the caller's own. So callers
 * share loads even where nothing may be served from the shelf: while the feed is lost, and where
 * the caller wants an answer fresher than any that is kept.
 *
 * <p>Used once, by the thread that reads.
 */
final class Miss<A extends @Nullable Object, V extends @Nullable Object, X extends Exception> {
  /** What this thread is loading just now, the innermost first. */
  private static final ThreadLocal<Deque<Miss<?, ?, ?>>> LOADING =
      ThreadLocal.withInitial(ArrayDeque::new);

  private final Shelf shelf;
  private final Key key;
  private final ReadRequest<A, X> inquiry;
  private final Function<? super A, ? extends V> view;
  private final long boundNanos;
  private final @Nullable String around;
  private final Footprint before;

  /** Read before any lane is looked at: what it covers is in an answer that is found fresh. */
  private final @Nullable Watermark watermark;

  /** What those get who wait for this thread's load, as long as nothing better is known. */
  private Outcome outcome = new Outcome.GivenUp();

  /**
   * @param boundNanos how long before now a load may have begun that this caller can use
   * @param around why nothing may be kept of this read, in words; null where it may
   */
  Miss(
      Shelf shelf,
      Key key,
      ReadRequest<A, X> inquiry,
      Function<? super A, ? extends V> view,
      long boundNanos,
      @Nullable String around) {
    this.shelf = shelf;
    this.key = key;
    this.inquiry = inquiry;
    this.view = view;
    this.boundNanos = boundNanos;
    this.around = around;
    this.watermark = shelf.ground().board().watermark();
    this.before = inquiry.lanes();
  }

  /**
   * @param putOut the entry that was found out of date; null if there was none
   */
  Reading<V> answer(@Nullable Entry putOut) throws X {
    Deque<Miss<?, ?, ?>> loading = LOADING.get();
    requireNotLoading(loading);
    // Whoever is loading holds what another load may need, if only this thread.
    long limit = loading.isEmpty() ? inquiry.waitLimitNanos() : 0;
    while (true) {
      Loads.Turn turn = shelf.loads().take(key, this::wouldDo, shelf::fence, limit);
      if (turn.mine()) {
        loading.push(this);
        try {
          return lead(turn.load(), putOut);
        } finally {
          loading.pop();
          shelf.loads().land(key, turn.load(), outcome);
        }
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

  private void requireNotLoading(Deque<Miss<?, ?, ?>> loading) {
    for (Miss<?, ?, ?> outer : loading) {
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
        && shelf.holdings().isFresh(key, before, running.fence().tick());
  }

  /** Whether a load that ran already when this caller came answers it, now that it has landed. */
  private boolean isGoodFor(Entry landed) {
    return landed.footprint().equals(before) || shelf.holdings().isFresh(landed);
  }

  /** Loads, keeps and answers. */
  private Reading<V> lead(Load load, @Nullable Entry putOut) throws X {
    Entry justKept = justKept();
    if (justKept != null) {
      outcome = new Outcome.Answered(justKept);
      shelf.meters().count(Count.JOINED);
      return reading(justKept, Origin.JOINED, null);
    }
    // Read after the fence: whatever changes the schema from now on puts the answer out.
    boolean lanesHold = inquiry.holdsFor(shelf.ground().board().schemaVersion());
    A value = loaded();
    long ended = shelf.ground().time().nanos();
    Footprint all = inquiry.lanes(before, value);
    Entry entry = new Entry(key, value, all, load.fence(), 0, ended, shelf.lifetimeNanos());
    shelf.meters().loaded(entry.loadNanos());
    if (putOut != null && Shelf.saysTheSame(putOut, value, inquiry)) {
      shelf.meters().count(Count.NEEDLESS);
    }
    if (!lanesHold || !inquiry.mayBeShared(value)) {
      outcome = new Outcome.NotShared();
    } else {
      outcome = new Outcome.Answered(entry);
      if (around == null) {
        shelf.holdings().keep(entry);
      }
    }
    return reading(entry, Origin.LOADED, null);
  }

  /** Between this caller's look and its load another one may have landed. */
  private @Nullable Entry justKept() {
    if (around != null) {
      return null;
    }
    Entry entry = shelf.holdings().freshIfStoreWorks(key);
    return entry != null && shelf.isWithin(boundNanos, entry.loadBeganNanos(), null) ? entry : null;
  }

  private A loaded() throws X {
    try {
      return inquiry.load();
    } catch (Exception e) {
      shelf.meters().count(Count.LOAD_FAILURES);
      boolean ofItsOwn = inquiry.waitLimitNanos() == 0 || Thread.currentThread().isInterrupted();
      outcome = ofItsOwn ? new Outcome.GivenUp() : new Outcome.Failed(e);
      throw e;
    }
  }

  private Reading<V> reading(Entry entry, Origin origin, @Nullable Watermark covered) {
    shelf.record(key, inquiry, around == null ? origin : Origin.DIRECT, entry);
    if (around == null) {
      return shelf.reading(entry, origin, 0, covered, view);
    }
    @SuppressWarnings("unchecked") // a key belongs to one kind of question, and so to one type
    A answer = (A) entry.value();
    Watermark began = new Watermark(entry.loadBeganNanos());
    return Reading.direct(view.apply(answer), began, around, shelf.ground());
  }
}
