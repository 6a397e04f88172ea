package dev.warmshelf.study;

import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.shelf.read.Ground;
import dev.warmshelf.store.BoundedStore;
import dev.warmshelf.store.Content;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Fill;
import dev.warmshelf.store.Fill.Life;
import dev.warmshelf.store.Fill.Renewable;
import dev.warmshelf.store.Keeper;
import dev.warmshelf.study.Share.Sums;
import dev.warmshelf.time.TimeSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.function.LongPredicate;

/**
 * The library's own store, asked what a recording asks: of the keys that are looked at, in as much
 * less room (miniature simulation: Waldspurger, Saemundsson, Ahmad and Park, "Cache Modeling and
 * Optimization using Miniature Simulations", 2017). For one thread.
 */
final class SmallShelf {
  private static final int NANOS_PER_MICRO = 1_000;

  private final Leaving leaving;
  private final long bytes;
  private final TimeSource time;
  private final Sums hits = new Sums();
  private final Sums saved = new Sums();
  private BoundedStore store;
  private double rate = 1;

  /** An answer that is not there, of a size and fingerprint. */
  private record Told(long key, int rows, long bytes, long fingerprint) implements Content {}

  /**
   * @param time shows when each question was asked
   */
  SmallShelf(Leaving leaving, long bytes, TimeSource time) {
    this.time = time;
    this.leaving = leaving;
    this.bytes = bytes;
    this.store = store(1);
  }

  private BoundedStore store(double part) {
    double largest = Capacity.bytes(bytes).largestShare() / part;
    Capacity less =
        Capacity.bytes(Math.max(1, Math.round(bytes * part)))
            .largestShare(Math.min(1, largest))
            .leaving(leaving);
    return new BoundedStore(Ground.room(less, time), Keeper.NONE);
  }

  /** From now on only this part of all keys is looked at. */
  void lookAt(double part, LongPredicate isIn) {
    rate = part;
    List<Entry> kept = new ArrayList<>();
    store.forEach(kept::add);
    store = store(part);
    for (Entry entry : kept) {
      if (isIn.test(told(entry).key())) {
        store.put(entry);
      }
    }
  }

  private static Told told(Entry entry) {
    return (Told) Objects.requireNonNull(entry.value());
  }

  void ask(Key key, Asked asked) {
    long now = time.nanos();
    Entry kept = store.get(key);
    boolean hit = kept != null && told(kept).fingerprint() == asked.fingerprint();
    hits.add(asked.key(), hit ? 1 / rate : 0, 1 / rate);
    saved.add(asked.key(), hit ? asked.loadMicros() / rate : 0, asked.loadMicros() / rate);
    if (kept != null) {
      if (hit) {
        kept.use(now);
        return;
      }
      store.remove(kept);
    }
    long load = asked.loadMicros() * NANOS_PER_MICRO;
    Fill fill = new Fill(new Fence(0, now - load), 0, now, Life.WITHOUT_END, Renewable.NOT);
    Told told = new Told(asked.key(), asked.rows(), asked.bytes(), asked.fingerprint());
    store.put(new Entry(key, told, Footprint.NOTHING, fill, load));
  }

  /**
   * @param questions of all keys
   * @param micros what all of them would have taken the database
   */
  MemoryForecast forecast(double questions, double micros) {
    return new MemoryForecast(
        leaving, bytes, hits.share(rate, questions), saved.share(rate, micros));
  }
}
