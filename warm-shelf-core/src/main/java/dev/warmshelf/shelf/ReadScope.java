package dev.warmshelf.shelf;

/**
 * A piece of work in which the same question gives the same answer, whatever changes meanwhile, and
 * however fresh an answer it asks for; to ask again costs no look at the shelf. What bypasses the
 * shelves is asked each time. Once the thread itself has committed a change, it is given new
 * answers: it must not miss its own.
 *
 * <p>It is of the thread that has begun it, and of those that take part by {@code
 * WarmShelf.handing}; an inner one has answers of its own. To be closed by the same thread.
 */
public interface ReadScope extends AutoCloseable {
  /**
   * Whether all that was read says what the feed has told by now, no less and no more, so that all
   * of it was true at one moment: the one up to which the feed has told everything. To be asked
   * once the feed has told of all that had committed when the last of it was read.
   */
  boolean holdsAtOneMoment();

  @Override
  void close();
}
