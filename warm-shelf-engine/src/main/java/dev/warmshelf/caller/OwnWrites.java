package dev.warmshelf.caller;

import dev.warmshelf.database.OwnChanges;
import dev.warmshelf.delivery.Delivery;
import dev.warmshelf.delivery.OwnWrite;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.spi.feed.Feed;
import dev.warmshelf.time.TimeSource;
import java.sql.Connection;
import java.time.Duration;
import java.util.List;
import java.util.Set;
import java.util.function.BooleanSupplier;
import org.jspecify.annotations.Nullable;

/**
 * Makes this process read its own writes: after a commit has returned, and before its caller is
 * answered, the board learns of it.
 *
 * <p><b>From the transaction itself</b>, where the feed can ask it ({@link OwnChanges}): one
 * question before the commit, and when that has returned its changes are ticked. Nobody waits.
 *
 * <p><b>From the feed</b> otherwise, which looks at once and knows everything that the transaction
 * really changed: by cascades, by triggers, through views. One look serves all writers that wait.
 * If the feed does not get there in time, everything kept is invalidated.
 *
 * <p><b>Not at all</b> where nothing is kept and nothing is being loaded: what is loaded afterwards
 * sees the commit. Before the commit that spares the question. It is asked again afterwards, and
 * that answer counts.
 *
 * <p>Without a feed, the tables that the statements name are ticked; what they changed beside those
 * is left to the TTL.
 */
public final class OwnWrites {
  private static final Duration PATIENCE = Duration.ofMillis(500);

  private final Board board;
  private final TimeSource time;
  private final @Nullable Feed feed;
  private final @Nullable Delivery delivery;
  private final @Nullable OwnChanges changes;
  private final BooleanSupplier nothingKept;

  /**
   * Those of one data source.
   *
   * @param delivery of the feed's; null if there is none
   * @param nothingKept whether all that will be served was asked of the database after the call
   */
  public OwnWrites(
      Board board,
      TimeSource time,
      @Nullable Feed feed,
      @Nullable Delivery delivery,
      BooleanSupplier nothingKept) {
    this.nothingKept = nothingKept;
    this.board = board;
    this.time = time;
    this.feed = feed;
    this.delivery = delivery;
    this.changes = feed instanceof OwnChanges asks ? asks : null;
  }

  public boolean haveFeed() {
    return feed != null;
  }

  /** Whether it is of use to know which tables the statements of a transaction name. */
  public boolean needNames() {
    return feed == null || changes != null;
  }

  /**
   * Before a commit: asks the transaction what it has changed, if that can be asked and is all that
   * is to be known.
   *
   * @param caller of whose connection all is known that was done on it in the transaction
   * @param connection on which it is open
   * @return null if the feed alone can tell
   */
  public OwnChanges.@Nullable Told ask(FollowedConnection caller, Connection connection) {
    if (feed == null
        || changes == null
        || !caller.isAllInOneTransaction()
        || nothingKept.getAsBoolean()
        || !isLive()) {
      return null;
    }
    long began = time.nanos();
    try {
      return changes.ask(connection);
    } finally {
      feed.meters().commitTook(time.nanos() - began);
    }
  }

  /** Before a commit from whose result answers are to be made, or whose changes are known. */
  public void announce(OwnWrite write) {
    if (delivery != null && !write.transaction().isEmpty()) {
      delivery.expect(write);
    }
  }

  /** Of a commit that has failed, or may have, the feed alone can tell. */
  public void forget(OwnWrite write) {
    if (delivery != null) {
      delivery.forget(write);
    }
  }

  /** After a commit that nobody knows to have happened. */
  public void perhapsCommitted(@Nullable OwnWrite write) {
    learn(null, write);
  }

  /**
   * After a commit has returned.
   *
   * @param named the tables that the statements name; null if that is not certain
   * @param write what was announced; null if nothing was
   * @return the number for answers made from it, as {@link Board#tickOwn} gives it
   */
  public long committed(@Nullable Set<Lane> named, @Nullable OwnWrite write) {
    if (write == null && feed != null && nothingKept.getAsBoolean()) {
      return 0;
    } else if (write == null || !write.knowsItsChanges()) {
      return learn(named, write);
    }
    write.hasReturned(board, time.nanos());
    if (feed != null) {
      feed.meters().commitTold();
    }
    return write.ownTick();
  }

  private long learn(@Nullable Set<Lane> named, @Nullable OwnWrite write) {
    if (feed == null) {
      return tickNamed(named, write);
    }
    feed.meters().commitWaited();
    long began = time.nanos();
    try {
      if (!learned()) {
        board.tickUntold();
        return Board.OVERTAKEN;
      }
      return write == null ? 0 : write.ownTick();
    } finally {
      feed.meters().commitTook(time.nanos() - began);
      if (write != null) {
        forget(write);
      }
    }
  }

  /** Whether the board has learned in time of all that had committed when this was called. */
  public boolean learned() {
    if (feed == null || !isLive()) {
      return false;
    }
    long now = time.nanos();
    feed.hurry();
    return board.awaitWatermark(now, PATIENCE);
  }

  private boolean isLive() {
    return feed != null && feed.meters().snapshot().state() == FeedMeters.State.LIVE;
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
