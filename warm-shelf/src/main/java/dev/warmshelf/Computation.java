package dev.warmshelf;

import dev.warmshelf.base.Durations;
import dev.warmshelf.caller.Bypass;
import dev.warmshelf.caller.Sessions;
import dev.warmshelf.engine.Engine;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Loader;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.Observation;
import dev.warmshelf.shelf.read.ReadRequest;
import dev.warmshelf.shelf.read.Scope;
import dev.warmshelf.store.Fill.Life;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * Results of a function of the program's own, kept as answers are. While it runs it is noted what
 * it reads: by queries, by other computations, and by statements on {@link WarmShelf#dataSource()}
 * whether or not a rule keeps their answers. The result depends on all of that, so nobody needs to
 * say which tables it is made from.
 *
 * <p>What decides the result besides the database belongs into the inputs, and what is read past
 * the wrapped data source is not seen. A result that cannot be kept is given to its caller alone,
 * and {@link Reading#unshared} says why: a statement was refused, or may write, or was asked past
 * the shelves; or nothing was seen to be read at all. What other threads read counts if their tasks
 * go through {@link WarmShelf#handing}.
 *
 * <p>Nothing is kept in a thread's transaction that has written, or reads from a snapshot, nor is
 * anybody answered from the shelf there. Errors reach the caller as they are, and are not kept. The
 * library does not copy a result: it must not be changed.
 *
 * <p>Immutable; each adjusting method returns a copy. Thread-safe.
 *
 * @param <V> what it gives
 */
public final class Computation<V extends @Nullable Object> {
  private final Engine engine;
  private final AnswerShelf shelf;
  private final KeyShape form;
  private final List<Lane> tags;
  private final long freshWithinNanos;

  Computation(Engine engine, AnswerShelf shelf, String name) {
    this(
        engine,
        shelf,
        KeyShape.of(
            engine.namespace(),
            "computation " + name,
            engine.sessions().areNamed() ? List.of("by session") : List.of()),
        List.of(),
        Long.MAX_VALUE);
  }

  private Computation(
      Engine engine, AnswerShelf shelf, KeyShape form, List<Lane> tags, long freshWithinNanos) {
    this.engine = engine;
    this.shelf = shelf;
    this.form = form;
    this.tags = tags;
    this.freshWithinNanos = freshWithinNanos;
  }

  /**
   * The same on another shelf.
   *
   * @throws IllegalArgumentException if there is no shelf of that name
   */
  public Computation<V> on(String name) {
    return new Computation<>(engine, engine.shelf(name), form, tags, freshWithinNanos);
  }

  /** The same with a tag on its results; see {@link WarmShelf#clearTag}. */
  public Computation<V> tagged(String tag) {
    List<Lane> all = new ArrayList<>(tags);
    all.add(Lane.ofTag(tag));
    return new Computation<>(engine, shelf, form, List.copyOf(all), freshWithinNanos);
  }

  /**
   * The same for a caller who wants a result that misses no change which committed longer ago than
   * this, in nothing that it is made of.
   *
   * @param bound zero or longer; at zero all of it is read from now on
   * @throws IllegalArgumentException if it is negative
   */
  public Computation<V> freshWithin(Duration bound) {
    if (bound.isNegative()) {
      throw new IllegalArgumentException("A bound cannot be negative, but is " + bound + ".");
    }
    return new Computation<>(engine, shelf, form, tags, Durations.saturatedNanos(bound));
  }

  /**
   * The result for these inputs, worked out if it is not kept. Callers that ask for it at once
   * share one working out.
   *
   * @param computing the function, whose result depends on nothing but the inputs and what it reads
   * @param inputs strings, numbers, booleans, enum constants, UUIDs, java.time values, bytes, lists
   *     of these, records of these, or null
   * @throws X what the function threw
   * @throws SQLException if the database could not be asked what a session is like: sessions are
   *     named, and nothing is known of this one yet, or this thread holds a connection whose
   *     session may have been altered
   * @throws IllegalArgumentException if an input is of a type whose equality is not known
   */
  public <X extends Exception> Reading<V> get(
      Loader<? extends V, X> computing, @Nullable Object... inputs) throws X, SQLException {
    Sessions.Kind kind = engine.sessions().current(null);
    Key key = key(kind, inputs);
    Observation outer = Observation.current();
    long bound =
        outer == null ? freshWithinNanos : Math.min(freshWithinNanos, outer.freshWithinNanos());
    Run<X> run = new Run<>(computing, bound);
    Bypass around = around(kind);
    return Observation.noted(around == null ? read(key, run) : bypass(around, key, run));
  }

  private <X extends Exception> Reading<V> read(Key key, Run<X> run) throws X {
    Scope scope = Scope.current();
    return scope == null
        ? shelf.read(key, run, Function.identity())
        : scope.reading(key, () -> shelf.read(key, run, Function.identity()));
  }

  private <X extends Exception> Reading<V> bypass(Bypass around, Key key, Run<X> run) throws X {
    Scope.noteBypass();
    return shelf.bypass(around.reason(), around.why(), key, run, Function.identity());
  }

  private @Nullable Bypass around(Sessions.Kind kind) throws SQLException {
    return kind.isUnequal()
        ? Bypass.because(BypassReason.UNEQUAL_SESSIONS)
        : engine.transactions().around(kind);
  }

  /**
   * Whether each kind of session has results of its own ({@link WarmShelf.Builder#sessionsNamed}).
   */
  public boolean isBySession() {
    return engine.sessions().areNamed();
  }

  /**
   * Invalidates the result for these inputs, of this kind of session; one that is being worked out
   * is not kept.
   *
   * @throws SQLException as {@link #get} does
   */
  public void clear(@Nullable Object... inputs) throws SQLException {
    shelf.clear(key(engine.sessions().current(null), inputs));
  }

  private Key key(Sessions.Kind kind, @Nullable Object... inputs) {
    if (!engine.sessions().areNamed()) {
      return Inputs.key(form, inputs);
    }
    @Nullable Object[] all = Arrays.copyOf(inputs, inputs.length + 1);
    all[inputs.length] = kind.name();
    return Inputs.key(form, all);
  }

  /** One working out. */
  private final class Run<X extends Exception> implements ReadRequest<V, X> {
    private final Loader<? extends V, X> computing;
    private final long bound;
    private @Nullable Observation seen;

    Run(Loader<? extends V, X> computing, long bound) {
      this.computing = computing;
      this.bound = bound;
    }

    /** What it reads; a hit needs none. */
    private Observation observation() {
      Observation known = seen;
      if (known == null) {
        known = shelf.observe(bound);
        seen = known;
      }
      return known;
    }

    @Override
    public Footprint lanes() {
      return Footprint.of(tags);
    }

    @Override
    public V load() throws X {
      return observation().over(computing);
    }

    @Override
    public Footprint lanes(Footprint before, V result) {
      return before.and(observation().footprint().lanes());
    }

    @Override
    public Fence since(Fence before) {
      return observation().since(before);
    }

    @Override
    public Life noLongerThan(Life life) {
      return observation().noLongerThan(life);
    }

    @Override
    public @Nullable String unshareable(V result) {
      return observation().unshareable();
    }

    @Override
    public long freshWithinNanos() {
      return bound;
    }

    /** Whether it does is the question's that failed. */
    @Override
    public boolean isOfDatabase(Exception error) {
      return error instanceof SQLException;
    }
  }
}
