package dev.warmshelf.shelf.read;

import java.io.Serializable;

/**
 * What a shelf holds of one kind of question.
 *
 * @param entries how many answers, fresh or not
 * @param bytes about how much memory they take with their keys and lanes; answers that cannot tell
 *     count nothing
 */
public record HeldSize(long entries, long bytes) implements Serializable {
  /** No answers. */
  public static final HeldSize NOTHING = new HeldSize(0, 0);

  /** Both together. */
  public HeldSize and(HeldSize more) {
    return new HeldSize(entries + more.entries, bytes + more.bytes);
  }
}
