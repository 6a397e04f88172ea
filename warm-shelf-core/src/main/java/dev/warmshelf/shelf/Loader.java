package dev.warmshelf.shelf;

import org.jspecify.annotations.Nullable;

/**
 * Asks the database. Called on the reader's own thread, after the fence was taken.
 *
 * @param <V> the answer, which will be shared between readers and so must be immutable
 * @param <X> what the load may throw; the reader gets it as it is, and nothing is kept
 */
@FunctionalInterface
public interface Loader<V extends @Nullable Object, X extends Exception> {
  /**
   * Asks once.
   *
   * @throws X if there is no answer
   */
  V load() throws X;
}
