package dev.warmshelf.shelf.read;

import dev.warmshelf.key.Key;
import dev.warmshelf.store.Entry;
import java.util.function.Predicate;

/**
 * What other processes have of one kind of question: their answers, and the right to load one for
 * all of them. Asked by whoever would load otherwise, before he does.
 *
 * <p>Whatever becomes of them, a read goes on: where they cannot be asked, there is nothing.
 */
public interface Others {
  /**
   * Looks for an answer; if there is none, asks for the right to load it, or waits for who has it.
   *
   * @param takesOver whether the caller can use an answer: asked of each that is found, which it
   *     may keep
   * @param waitNanos how long to wait at most for one that another process is loading; 0 for a
   *     caller that must not wait, nor have others wait for it
   * @return to be closed once the caller has an answer
   */
  Turn take(Key key, Predicate<Entry> takesOver, long waitNanos);

  /** What a caller got. */
  interface Turn extends AutoCloseable {
    /** What was taken over, if anything was. */
    Found found();

    /** The caller has loaded an answer that others may have. Returns at once. */
    void loaded(Entry entry);

    /** Whoever waits for this caller need not any more, unless what he loaded is on its way. */
    @Override
    void close();
  }

  /** What came of asking. */
  sealed interface Found {
    /** An answer, which the caller has taken over. */
    record Answer(Entry entry) implements Found {}

    /**
     * Nothing.
     *
     * @param late whether time has passed meanwhile
     */
    record Nothing(boolean late) implements Found {}
  }
}
