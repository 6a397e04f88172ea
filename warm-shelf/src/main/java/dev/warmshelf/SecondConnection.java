package dev.warmshelf;

import dev.warmshelf.spi.feed.Feed;
import java.sql.SQLException;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.FutureTask;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/**
 * Whether a data source has a connection left for reads, beside the one that a feed keeps. A pool
 * that has none would keep every reader waiting until it gives up.
 */
final class SecondConnection {
  private static final int SECONDS = 5;

  private SecondConnection() {}

  /**
   * Requires it; closes the feed if there is none.
   *
   * @param feed which follows
   */
  static void require(DataSource dataSource, Feed feed) throws SQLException {
    Exception why = missing(dataSource);
    if (why != null) {
      feed.close();
      throw new SQLException(
          "The feed keeps a connection, and the data source gave none for reads within "
              + SECONDS
              + " s. Give the feed connections of its own, JournalFeed.on(url, user, password), or"
              + " the pool one connection more.",
          why);
    }
  }

  private static @Nullable Exception missing(DataSource dataSource) {
    FutureTask<@Nullable Void> borrowing =
        new FutureTask<>(
            () -> {
              dataSource.getConnection().close();
              return null;
            });
    Thread thread = new Thread(borrowing, "warm-shelf-open");
    thread.setDaemon(true);
    thread.start();
    Exception why;
    try {
      borrowing.get(SECONDS, TimeUnit.SECONDS);
      return null;
    } catch (TimeoutException | ExecutionException e) {
      why = e;
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      why = e;
    }
    thread.interrupt();
    return why;
  }
}
