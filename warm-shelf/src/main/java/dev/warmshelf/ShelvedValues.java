package dev.warmshelf;

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
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * Values that are no query's: put, looked up and cleared by a name of the engineer's own. What they
 * were made from is the engineer's word too; where a table is named, its changes invalidate them.
 *
 * <p>The library does not copy a value: keep objects that nobody changes. Immutable; each adjusting
 * method returns a copy. Thread-safe.
 *
 * @param <V> the values' type
 */
public final class ShelvedValues<V> {
  private final Engine engine;
  private final AnswerShelf shelf;
  private final KeyShape form;
  private final Class<V> type;
  private final List<Lane> lanes;

  ShelvedValues(Engine engine, AnswerShelf shelf, String name, Class<V> type) {
    this(engine, shelf, KeyShape.of(engine.namespace(), "values " + name), type, List.of());
  }

  private ShelvedValues(
      Engine engine, AnswerShelf shelf, KeyShape form, Class<V> type, List<Lane> lanes) {
    this.engine = engine;
    this.shelf = shelf;
    this.form = form;
    this.type = type;
    this.lanes = lanes;
    shelf.takesValues();
  }

  /**
   * The same values on another shelf.
   *
   * @throws IllegalArgumentException if there is no shelf of that name
   */
  public ShelvedValues<V> on(String name) {
    return new ShelvedValues<>(engine, engine.shelf(name), form, type, lanes);
  }

  /**
   * Says that the values are made from this table. It must be one that the feed follows, where
   * there is a feed; as long as it is not, none of them is kept.
   *
   * @param schema as the catalogue spells it
   * @param table as the catalogue spells it
   * @throws IllegalArgumentException if the feed follows, and does not tell of its changes
   */
  public ShelvedValues<V> madeFrom(String schema, String table) {
    Lane lane = Lane.ofTable(schema, table);
    if (engine.isJoined() && !engine.isFollowed(lane)) {
      throw new IllegalArgumentException(
          "The feed does not tell of changes to " + lane + "; follow the table first.");
    }
    return and(lane);
  }

  /** Tags the values; see {@link WarmShelf#clearTag}. */
  public ShelvedValues<V> tagged(String tag) {
    return and(Lane.ofTag(tag));
  }

  private ShelvedValues<V> and(Lane lane) {
    List<Lane> all = new ArrayList<>(lanes);
    all.add(lane);
    return new ShelvedValues<>(engine, shelf, form, type, List.copyOf(all));
  }

  /** Why no value is kept just now, in words; null if values are. */
  private @Nullable String unkept() {
    if (!engine.isJoined()) {
      return "the shelves have not joined yet";
    }
    for (Lane lane : lanes) {
      if (lane.isWholeTable() && !engine.isFollowed(lane)) {
        return "no feed tells of changes to " + lane;
      }
    }
    return null;
  }

  /** The value under this name, if it is there and holds still. */
  public Optional<Reading<V>> get(Object... name) {
    @Nullable Reading<V> reading = shelf.get(key(name));
    Observation computation = Observation.current();
    if (reading != null) {
      Observation.noted(reading);
    } else if (computation != null) {
      computation.cannotBeKept("it depends on whether a value is kept");
    }
    return Optional.ofNullable(reading);
  }

  /**
   * The value under this name, worked out if it is not there. Callers that ask for it at once share
   * one working out.
   *
   * @throws X what the loader threw
   */
  public <X extends Exception> Reading<V> get(Loader<? extends V, X> loader, Object... name)
      throws X {
    Footprint footprint = Footprint.of(lanes);
    String why = unkept();
    if (why == null) {
      return Observation.noted(shelf.read(key(name), footprint, loader));
    }
    Scope.noteBypass();
    ReadRequest<V, X> alone = ReadRequest.of(footprint, loader);
    return Observation.noted(
        shelf.bypass(BypassReason.REFUSED, why, key(name), alone, Function.identity()));
  }

  /** What was known at one moment. */
  public static final class Mark {
    private final Fence fence;

    private Mark(Fence fence) {
      this.fence = fence;
    }
  }

  /**
   * The mark for {@link #put(Object, Mark, Object...)}: take it before reading what the value is
   * made from.
   */
  public Mark mark() {
    return new Mark(shelf.fence());
  }

  /**
   * Keeps a value that was worked out from what held when the mark was taken. Not kept if that has
   * changed since, or no feed would tell of it.
   *
   * @return whether it is kept
   */
  public boolean put(V value, Mark mark, Object... name) {
    Objects.requireNonNull(value, "value");
    return unkept() == null
        && shelf.put(key(name), type.cast(value), Footprint.of(lanes), mark.fence);
  }

  /** Invalidates the value under this name; one that is being worked out is not kept. */
  public void remove(Object... name) {
    shelf.clear(key(name));
  }

  private Key key(Object... name) {
    return Inputs.name(form, name);
  }
}
