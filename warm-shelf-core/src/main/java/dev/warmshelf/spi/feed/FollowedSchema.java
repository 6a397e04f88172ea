package dev.warmshelf.spi.feed;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import java.util.Map;

/**
 * What of a database is followed; nothing, as long as the feed does not follow yet. Thread-safe.
 */
public interface FollowedSchema {
  /** The mark as long as the feed does not follow. */
  long NONE = -1;

  /** Whether changes to this table are delivered. May change as the feed is installed on tables. */
  boolean covers(Lane table);

  /**
   * The columns by which changes of this table are told apart, in the engineer's order. When it
   * changes, the board is told of a change of the schema.
   */
  Map<String, ColumnKind> trackedColumns(Lane table);

  /**
   * To be asked before what {@link #watch} is given is read from the catalogue.
   *
   * @return a number, at least 0, that tells whether the schema has been looked at since; {@link
   *     #NONE} as long as the feed does not follow, and then nothing is watched
   */
  default long schemaMark() {
    return 0;
  }

  /**
   * Looks after a part of the schema from now on. A feed that cannot does nothing; then every
   * change of the schema has to be told to it.
   *
   * @param mark what {@link #schemaMark} gave before that was read
   * @return false if the schema may have changed in between unseen: to be read again then
   */
  default boolean watch(long mark, Watched watched) {
    return true;
  }
}
