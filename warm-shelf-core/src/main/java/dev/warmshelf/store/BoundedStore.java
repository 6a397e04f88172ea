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
  private final ConcurrentHashMap<Key, Node> nodes = new ConcurrentHashMap<>();
  private final Object order = new Object();
  private @Nullable Node oldest;
  private @Nullable Node newest;

  /** An entry in its place in the list; the links are guarded by {@link #order}. */
  private static final class Node {
    private final Entry entry;
    private @Nullable Node older;
    private @Nullable Node newer;

    Node(Entry entry) {
      this.entry = entry;
    }
  }

  /**
   * An empty store.
   *
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
    Node node = nodes.get(key);
    return node == null ? null : node.entry;
  }

  @Override
  public void put(Entry entry) {
    synchronized (order) {
      Node node = new Node(entry);
      Node before = nodes.put(entry.key(), node);
      if (before != null) {
        unlink(before);
      }
      link(node);
      while (nodes.size() > bound) {
        evictOne();
      }
    }
  }

  @Override
  public boolean remove(Entry entry) {
    synchronized (order) {
      Node node = nodes.get(entry.key());
      if (node == null || node.entry != entry) {
        return false;
      }
      nodes.remove(entry.key());
      unlink(node);
      return true;
    }
  }

  @Override
  public void forEach(Consumer<Entry> visitor) {
    nodes.values().forEach(node -> visitor.accept(node.entry));
  }

  @Override
  public int size() {
    return nodes.size();
  }

  private void evictOne() {
    Node candidate = Objects.requireNonNull(oldest, "a full store has an oldest entry");
    // Readers may mark entries as used all the while; one round of the list is enough.
    for (int rounds = nodes.size(); rounds > 0 && candidate.entry.forgetUse(); rounds--) {
      unlink(candidate);
      link(candidate);
      candidate = Objects.requireNonNull(oldest, "the list is as long as the map");
    }
    unlink(candidate);
    nodes.remove(candidate.entry.key());
    onEviction.accept(candidate.entry);
  }

  private void link(Node node) {
    node.older = newest;
    node.newer = null;
    if (newest == null) {
      oldest = node;
    } else {
      newest.newer = node;
    }
    newest = node;
  }

  private void unlink(Node node) {
    if (node.older == null) {
      oldest = node.newer;
    } else {
      node.older.newer = node.newer;
    }
    if (node.newer == null) {
      newest = node.older;
    } else {
      node.newer.older = node.older;
    }
    node.older = null;
    node.newer = null;
  }
}
