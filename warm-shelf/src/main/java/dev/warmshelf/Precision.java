package dev.warmshelf;

import dev.warmshelf.spi.feed.Feed;
import dev.warmshelf.statement.TrackedColumns;
import org.jspecify.annotations.Nullable;

/** How finely changes are told apart. */
public enum Precision {
  /** Any change to a table invalidates all answers read from it. */
  TABLES,
  /**
   * Where a question says of which rows its answer is made, changes to others leave it alone. Needs
   * a feed that tells the table's rows apart.
   */
  VALUES,
  /** Where the answer says it, too. */
  ANSWERS;

  TrackedColumns of(@Nullable Feed feed) {
    if (feed == null || this == TABLES) {
      return TrackedColumns.NOTHING;
    }
    TrackedColumns byFeed = feed::trackedColumns;
    return this == VALUES ? byFeed.byQuestionsAlone() : byFeed;
  }
}
