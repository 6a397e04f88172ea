package dev.warmshelf.caller;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.TimeSource;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Footprint;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.spi.feed.Feed;
import dev.warmshelf.spi.feed.OwnWrite;
import java.time.Duration;
import java.util.List;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * Makes this process read its own writes: after a commit has returned, and before its caller is
 * answered, the board learns of it.
 *
 * <p>It learns from the feed, which looks at once and knows everything that the transaction really
 * changed: by cascades, by triggers, through views. One look serves all writers that wait. If the
 * feed does not get there in time, everything kept is invalidated. Without a feed, the tables that
 * the statements name are ticked; what they changed beside those is left to the TTL.
 */
public final class OwnWrites {
  private static final Duration PATIENCE = Duration.ofMillis(500);

  private final Board board;
  private final TimeSource time;
  private final @Nullable Feed feed;

  public OwnWrites(Board board, TimeSource time, @Nullable Feed feed) {
    this.board = board;
    this.time = time;
    this.feed = feed;
  }

  public boolean haveFeed() {
    return feed != null;
  }

  /** Before a commit from whose result answers are to be made. */
  public void announce(OwnWrite write) {
    if (feed != null) {
      feed.expect(write);
    }
  }

  /**
   * After a commit has returned, or nobody knows whether it happened.
   *
   * @param named the tables that the statements name; null if that is not certain
   * @param write what was announced; null if nothing was
   * @return the number for answers made from it, as {@link Board#tickOwn} gives it
   */
  public long committed(@Nullable Set<Lane> named, @Nullable OwnWrite write) {
    if (feed == null) {
      return tickNamed(named, write);
    }
    try {
      if (!learned()) {
        board.tickUntold();
        return Board.OVERTAKEN;
      }
      return write == null ? 0 : write.ownTick();
    } finally {
      if (write != null) {
        feed.forget(write);
      }
    }
  }

  /** Whether the board has learned in time of all that had committed when this was called. */
  public boolean learned() {
    if (feed == null || feed.meters().snapshot().state() != FeedMeters.State.LIVE) {
      return false;
    }
    long now = time.nanos();
    feed.hurry();
    return board.awaitWatermark(now, PATIENCE);
  }

  private long tickNamed(@Nullable Set<Lane> named, @Nullable OwnWrite write) {
    if (named == null) {
      board.tickEverything();
      return Board.OVERTAKEN;
    }
    List<Change> changes = named.stream().map(Change::atLarge).toList();
    return write == null
        ? board.tickOwn(changes, Footprint.NOTHING, 0)
        : board.tickOwn(changes, write.footprint(), write.fence());
  }
}
