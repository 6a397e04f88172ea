package dev.warmshelf.shelf;

import dev.warmshelf.key.Key;
import org.jspecify.annotations.Nullable;

/**
 * Told of every question that a shelf was asked, once it is answered. Called on the reader's own
 * thread, by many at once: it must be thread-safe and return at once. One that throws is told no
 * more.
 */
public interface Recorder {
  /**
   * A question has been answered.
   *
   * @param shelf the shelf's name
   * @param words the question as it was asked; null where it was no query
   * @param outcome where the answer came from
   * @param loadNanos how long the answer took to load, whoever loaded it
   * @param answer what is kept, or would be; it may be {@link dev.warmshelf.store.Content}
   */
  void asked(
      String shelf,
      Key key,
      @Nullable AskedQuestion words,
      Origin outcome,
      long loadNanos,
      @Nullable Object answer);
}
