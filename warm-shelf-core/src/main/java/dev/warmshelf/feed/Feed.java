package dev.warmshelf.feed;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.TimeSource;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.FeedMeters;
import java.util.Map;

/**
 * Tells a board about the changes of one database.
 *
 * <p>Its promise: <em>when a batch has been ticked, every statement that begins afterwards sees its
 * changes</em>; and the watermark moves to a moment only after everything that had committed before
 * that moment has been ticked. When it has lost its place it ticks everything. While it cannot
 * deliver, the watermark stands still, and shelves stop serving once it is too old.
 *
 * <p>Implementations are thread-safe.
 */
public interface Feed extends AutoCloseable {
  /**
   * Finds its place in the stream of changes, moves the watermark for the first time, and goes on
   * delivering in the background until closed.
   *
   * @throws FeedException if the database cannot be reached or the feed is not installed there
   */
  void follow(Board board, TimeSource time) throws FeedException;

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
   * @return a number that tells whether the schema has been looked at since
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

  /** Asks for the next look at the database to be taken at once. Returns without waiting. */
  void hurry();

  /** Announces a transaction of this process. To be called before its commit is sent. */
  void expect(OwnWrite write);

  /** Forgets an own write, met or not. */
  void forget(OwnWrite write);

  /** What it counts, and how it is; goes on. */
  FeedMeters meters();

  /** Ends the delivery. */
  @Override
  void close();
}
