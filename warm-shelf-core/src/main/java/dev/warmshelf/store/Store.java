package dev.warmshelf.store;

import dev.warmshelf.key.Key;
import java.util.function.Consumer;
import org.jspecify.annotations.Nullable;

/**
 * Where the entries of one shelf live. A store knows nothing about freshness: it may return what is
 * no longer fresh, and may forget anything at any time.
 *
 * <p>Implementations are thread-safe. A store may fail with any runtime exception; the shelf then
 * answers from the database.
 */
public interface Store {
  /** The entry under this key, or null. */
  @Nullable Entry get(Key key);

  /**
   * Keeps the entry in place of any other under its key, making room where needed.
   *
   * @return false if there is no room for it; then whatever was there may be there still
   */
  boolean put(Entry entry);

  /**
   * Removes exactly this entry.
   *
   * @return whether it was there; among several callers at once, one is told so
   */
  boolean remove(Entry entry);

  /** Visits the entries, in no order; those that come or go meanwhile may be missed. */
  void forEach(Consumer<Entry> visitor);

  /** How many entries there are. */
  int size();

  /** About how many bytes they take. */
  long bytes();
}
