package dev.warmshelf.spi.feed;

import java.util.Objects;

/**
 * How far a feed has told of all changes, for another process, or a later one, to judge. Immutable.
 *
 * @param stream which stream of changes it is a place in: places in two streams have nothing to say
 *     of each other. Some lines of text
 * @param reached which changes are in it, in one line, as the kind of feed has it
 */
public record FeedPlace(String stream, String reached) {
  /**
   * Nothing is null.
   *
   * @throws IllegalArgumentException if what was reached is not one line
   */
  public FeedPlace {
    Objects.requireNonNull(stream, "stream");
    if (reached.indexOf('\n') >= 0) {
      throw new IllegalArgumentException("What was reached stands in one line, but is " + reached);
    }
  }

  /** In one text. */
  public String written() {
    return reached + "\n" + stream;
  }

  /**
   * From the text.
   *
   * @throws IllegalArgumentException if it is none
   */
  public static FeedPlace ofWritten(String text) {
    int end = text.indexOf('\n');
    if (end < 0) {
      throw new IllegalArgumentException("This is no place of a feed: " + text);
    }
    return new FeedPlace(text.substring(end + 1), text.substring(0, end));
  }
}
