package dev.warmshelf.store;

import dev.warmshelf.key.Key;
import java.util.Objects;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Consumer;
import org.jspecify.annotations.Nullable;

/**
 * Entries in memory, at most a fixed number of them. Eviction gives each entry a second chance: the
 * oldest leaves, unless it was used since it was last looked at, in which case it goes to the young
 * end instead (Corbató, "A Paging Experiment with the Multics System", 1968).
 *
 * <p>Reads touch only the map. Writes also keep a list in order of age, under one lock; they come
 * with a database read each, which costs a thousand times more. The map changes only under that
 * lock, so map and list always hold the same entries once a write is over, and the bound holds
 * after every {@link #put}.
 */
public final class BoundedStore implements Store {
  private final int bound;
  private final Consumer<Entry> onEviction;
  private final ConcurrentHashMap<Key, Entry> entries = new ConcurrentHashMap<>();
  private final Object order = new Object();
  private @Nullable Entry oldest;
  private @Nullable Entry newest;

  /**
   * @param bound how many entries to hold, at least 1
   * @param onEviction told of each entry that leaves for want of room, under the store's lock: be
   *     brief
   * @throws IllegalArgumentException if the bound is less than 1
   */
  public BoundedStore(int bound, Consumer<Entry> onEviction) {
    if (bound < 1) {
      throw new IllegalArgumentException(
          "A store must hold at least 1 entry, but was told to hold " + bound + ".");
    }
    this.bound = bound;
    this.onEviction = Objects.requireNonNull(onEviction, "onEviction");
  }

  @Override
  public @Nullable Entry get(Key key) {
    return entries.get(key);
  }

  @Override
  public void put(Entry entry) {
    synchronized (order) {
      Entry before = entries.put(entry.key(), entry);
      if (before != null) {
        unlink(before);
      }
      link(entry);
      while (entries.size() > bound) {
        evictOne();
      }
    }
  }

  @Override
  public boolean remove(Entry entry) {
    synchronized (order) {
      boolean removed = entries.remove(entry.key(), entry);
      if (removed) {
        unlink(entry);
      }
      return removed;
    }
  }

  @Override
  public void forEach(Consumer<Entry> visitor) {
    entries.values().forEach(visitor);
  }

  @Override
  public int size() {
    return entries.size();
  }

  private void evictOne() {
    Entry candidate = Objects.requireNonNull(oldest, "a full store has an oldest entry");
    // Readers may mark entries as used all the while; one round of the list is enough.
    for (int rounds = entries.size(); rounds > 0 && candidate.forgetUse(); rounds--) {
      unlink(candidate);
      link(candidate);
      candidate = Objects.requireNonNull(oldest, "the list is as long as the map");
    }
    unlink(candidate);
    entries.remove(candidate.key());
    onEviction.accept(candidate);
  }

  private void link(Entry entry) {
    entry.older = newest;
    entry.newer = null;
    if (newest == null) {
      oldest = entry;
    } else {
      newest.newer = entry;
    }
    newest = entry;
  }

  private void unlink(Entry entry) {
    if (entry.older == null) {
      oldest = entry.newer;
    } else {
      entry.older.newer = entry.newer;
    }
    if (entry.newer == null) {
      newest = entry.older;
    } else {
      entry.newer.older = entry.older;
    }
    entry.older = null;
    entry.newer = null;
  }
}
