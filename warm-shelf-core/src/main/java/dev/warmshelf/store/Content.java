package dev.warmshelf.store;

/** What a kept value can tell of its size and content. Values that cannot are kept all the same. */
public interface Content {
  /** How many rows there are. */
  int rows();

  /** About how many bytes the value takes in memory. */
  long bytes();

  /**
   * A fingerprint: the same for values that say the same, in whatever order their rows stand. Made
   * to notice differences, not to withstand somebody who plans a collision.
   */
  long fingerprint();
}
