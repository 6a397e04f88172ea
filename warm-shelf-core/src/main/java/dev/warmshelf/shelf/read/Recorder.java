package dev.warmshelf.shelf.read;

import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Origin;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * Told of every question that a shelf was asked, once it is answered, and of changes. Called on the
 * reader's own thread, by many at once: it must be thread-safe and return at once. One that throws
 * is told no more.
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
   * @param footprint what the answer depends on; null if that is not known
   */
  void asked(
      String shelf,
      Key key,
      @Nullable AskedQuestion words,
      Origin outcome,
      long loadNanos,
      @Nullable Object answer,
      @Nullable Footprint footprint);

  /**
   * The feed has told of changes. Called on the feed's thread.
   *
   * @param changes in no order; one of {@link Lane#SCHEMA} stands for something unknown, which may
   *     be anything
   */
  default void changed(List<Change> changes) {}
}
