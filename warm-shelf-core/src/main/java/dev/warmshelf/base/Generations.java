package dev.warmshelf.base;

import java.util.HashMap;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicLong;
import org.jspecify.annotations.Nullable;

/**
 * What has been worked out before, by what it was worked out from; bounded in bytes, about.
 *
 * <p>Two generations. What is put is in the young one; when that is full it becomes the old one and
 * the old one is forgotten. What is found in the old one is young again, so what is in use stays.
 *
 * <p>Thread-safe. A lookup of something young takes no lock.
 *
 * @param <K> compares by content, or is the same object each time
 */
public final class Generations<K, V> {
  private final long generationBytes;
  private final Weight<? super K, ? super V> weight;
  private volatile Generation<K, V> young = new Generation<>();
  private volatile Generation<K, V> old = new Generation<>();

  /** About how many bytes an entry takes in memory. */
  public interface Weight<K, V> {
    /** About how many bytes these two take in memory. */
    long bytes(K key, V value);
  }

  private static final class Generation<K, V> {
    private final ConcurrentHashMap<K, V> entries = new ConcurrentHashMap<>();
    private final AtomicLong bytes = new AtomicLong();
  }

  /**
   * @param mostBytes about how much memory to use at most
   */
  public Generations(long mostBytes, Weight<? super K, ? super V> weight) {
    this.generationBytes = mostBytes / 2;
    this.weight = weight;
  }

  /** What is remembered under the key, or null. */
  public @Nullable V get(K key) {
    V value = young.entries.get(key);
    if (value == null) {
      value = old.entries.get(key);
      if (value != null) {
        put(key, value);
      }
    }
    return value;
  }

  /** Remembers a value, unless it is so large that it would leave room for few others. */
  public synchronized void put(K key, V value) {
    long bytes = weight.bytes(key, value);
    if (bytes > generationBytes / 4) {
      return;
    }
    if (young.bytes.get() >= generationBytes) {
      old = young;
      young = new Generation<>();
    }
    V before = young.entries.put(key, value);
    young.bytes.addAndGet(bytes - (before == null ? 0 : weight.bytes(key, before)));
  }

  /** All that is remembered. */
  public Map<K, V> all() {
    Map<K, V> all = new HashMap<>(old.entries);
    all.putAll(young.entries);
    return all;
  }
}
