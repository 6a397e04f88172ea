package dev.warmshelf.shelf;

/**
 * What a shelf holds of one kind of question.
 *
 * @param entries how many answers, fresh or not
 * @param bytes about how much memory they take with their keys and lanes; answers that cannot tell
 *     count nothing
 */
public record HeldSize(long entries, long bytes) {
  /** No answers. */
  public static final HeldSize NOTHING = new HeldSize(0, 0);

  HeldSize and(long more) {
    return new HeldSize(entries + 1, bytes + more);
  }
}
