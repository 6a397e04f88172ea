package dev.warmshelf.shelf.read;

import dev.warmshelf.fresh.Fence;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Loader;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Fill.Life;
import dev.warmshelf.time.Watermark;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.Executor;
import org.jspecify.annotations.Nullable;

/**
 * What a computation reads, noted while it runs, so that its result can be kept like an answer.
 *
 * <p><b>The rule.</b> The result depends on all that its readings depend on. Each is looked at when
 * it is noted: as long as nothing it depends on has changed since its own fence, whatever it misses
 * is told after the computation began, and so after the computation's fence. If something has, the
 * result stands on that reading's older fence, and is out of date at once. It is no fresher than
 * the least fresh of its readings, and ends when the first of them does. A reading that nobody else
 * may be given makes the result one, too.
 *
 * <p>One computation runs on one thread at a time as far as that is known; others take part in it
 * by {@link #handing}. Thread-safe.
 */
public final class Observation {
  private static final ThreadLocal<@Nullable Observation> CURRENT = new ThreadLocal<>();

  /** From so many on, lanes of one table are replaced by the table's: it is only put out sooner. */
  private static final int MOST_LANES_OF_TABLE = 256;

  private final Ground ground;
  private final long freshWithinNanos;
  private final Set<Lane> lanes = new LinkedHashSet<>();
  private final Map<Lane, Integer> lanesOfTable = new HashMap<>();
  private @Nullable Fence oldest;
  private final long beganNanos;

  /** When the first of its readings ends, since it began. */
  private long endsAfterNanos = Long.MAX_VALUE;

  private long noted;
  private @Nullable String why;

  /**
   * Nothing has been read yet.
   *
   * @param freshWithinNanos how stale its readings may be
   */
  Observation(Ground ground, long freshWithinNanos) {
    this.ground = ground;
    this.freshWithinNanos = freshWithinNanos;
    this.beganNanos = ground.time().nanos();
  }

  /** The computation that this thread runs, the innermost; null if it runs none. */
  public static @Nullable Observation current() {
    return CURRENT.get();
  }

  /**
   * Runs a computation on this thread.
   *
   * @throws X what it threw
   */
  public <V extends @Nullable Object, X extends Exception> V over(Loader<? extends V, X> computing)
      throws X {
    Observation outer = CURRENT.get();
    CURRENT.set(this);
    try {
      return computing.load();
    } finally {
      restore(outer);
    }
  }

  private static void restore(@Nullable Observation outer) {
    if (outer == null) {
      CURRENT.remove();
    } else {
      CURRENT.set(outer);
    }
  }

  /**
   * An executor whose tasks take part in the computation that the thread which hands them over runs
   * just then, and in the {@link Scope} that it is in: what they read is noted, too. Who hands them
   * over must wait for them.
   */
  public static Executor handing(Executor executor) {
    return task -> {
      Observation handed = CURRENT.get();
      Scope scope = Scope.current();
      Deque<Read<?, ?, ?>> loading = Read.loading();
      executor.execute(
          () -> {
            Observation outer = CURRENT.get();
            Scope outerScope = Scope.enter(scope);
            Deque<Read<?, ?, ?>> before = Read.loads(new ArrayDeque<>(loading));
            restore(handed);
            try {
              task.run();
            } finally {
              restore(outer);
              Scope.enter(outerScope);
              Read.loads(before);
            }
          });
    };
  }

  /** Notes an answer for the computation that this thread runs, if it runs one; returns it. */
  public static <V extends @Nullable Object> Reading<V> noted(Reading<V> reading) {
    Observation computation = CURRENT.get();
    if (computation != null) {
      computation.note(reading);
    }
    return reading;
  }

  /** Notes an answer that the computation has been given. */
  synchronized void note(Reading<?> reading) {
    noted++;
    reading.unshared().ifPresent(this::cannotBeKept);
    ShelfReading<?> read = ShelfReading.of(reading);
    Entry entry = read.entry();
    if (entry == null) {
      return;
    }
    entry.footprint().lanes().forEach(this::add);
    Watermark told = ground.board().watermark(); // before the lanes are looked at
    boolean isFresh = entry.isFresh(ground.board());
    long tick = isFresh ? Long.MAX_VALUE : entry.fence();
    long fresh = read.freshNanos();
    if (isFresh && told != null && told.nanos() - fresh > 0) {
      fresh = told.nanos(); // it may have been read long ago
    }
    Fence before = oldest;
    oldest =
        before == null
            ? new Fence(tick, fresh)
            : new Fence(
                Math.min(before.tick(), tick), fresh - before.nanos() < 0 ? fresh : before.nanos());
    if (entry.expires()) {
      long now = ground.time().nanos();
      long remaining = Math.max(0, entry.remainingNanos(now));
      long since = now - beganNanos;
      endsAfterNanos =
          Math.min(
              endsAfterNanos, remaining > Long.MAX_VALUE - since ? remaining : since + remaining);
    }
    if (reading.origin() == Origin.OLD) {
      cannotBeKept("an answer that it was made of was old on purpose");
    }
  }

  private void add(Lane lane) {
    if (!lane.isData()) {
      lanes.add(lane);
      return;
    }
    Lane table = lane.table();
    int count = lanesOfTable.getOrDefault(table, 0);
    if (count < MOST_LANES_OF_TABLE && lanes.add(lane)) {
      lanesOfTable.put(table, count + 1);
    } else if (count == MOST_LANES_OF_TABLE) {
      lanes.removeIf(each -> each.isData() && each.table().equals(table));
      lanes.add(table);
      lanes.add(table.atLarge());
      lanesOfTable.put(table, count + 1);
    }
  }

  /** Says that the result is for its caller alone; the first reason stays. */
  public synchronized void cannotBeKept(String reason) {
    if (why == null) {
      why = reason;
    }
  }

  /** Why the result is for its caller alone, in words; null if it is not. */
  public synchronized @Nullable String unshareable() {
    return why == null && noted == 0 ? "nothing that it was made of was seen to be read" : why;
  }

  /** How stale its readings may be, in nanoseconds. */
  public long freshWithinNanos() {
    return freshWithinNanos;
  }

  /** What the result depends on. */
  public synchronized Footprint footprint() {
    return Footprint.of(lanes);
  }

  /** The fence that the result stands on, given the one from before the computation. */
  public synchronized Fence since(Fence before) {
    Fence least = oldest;
    if (least == null) {
      return before;
    }
    long nanos = least.nanos() - before.nanos() < 0 ? least.nanos() : before.nanos();
    return new Fence(Math.min(before.tick(), least.tick()), nanos);
  }

  /** How long the result may be served from now on, given what the policy says. */
  public synchronized Life noLongerThan(Life life) {
    if (endsAfterNanos == Long.MAX_VALUE) {
      return life;
    }
    long remaining = Math.max(0, endsAfterNanos - (ground.time().nanos() - beganNanos));
    return new Life(Math.min(life.sinceFill(), remaining), life.sinceUse());
  }
}
