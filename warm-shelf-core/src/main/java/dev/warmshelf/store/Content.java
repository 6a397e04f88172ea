package dev.warmshelf.store;

import dev.warmshelf.shelf.EntryDetail.Rows;
import org.jspecify.annotations.Nullable;

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

  /**
   * A digest of the value, row by row in their order: the same in every process for values that say
   * the same; null if there is none.
   */
  default @Nullable String digest() {
    return null;
  }

  /**
   * The first rows, to be shown to a person; no columns if there are none to show.
   *
   * @param most how many
   */
  default Rows firstRows(int most) {
    return Rows.NONE;
  }
}
