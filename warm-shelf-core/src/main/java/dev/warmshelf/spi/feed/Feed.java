package dev.warmshelf.spi.feed;

import dev.warmshelf.lane.Change;
import dev.warmshelf.meter.FeedMeters;
import java.util.List;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.function.Consumer;
import org.jspecify.annotations.Nullable;

/**
 * Tells of the changes of one database.
 *
 * <p>Its promise: <em>when a batch has been ticked, every statement that begins afterwards sees its
 * changes</em>; and the watermark moves to a moment only after everything that had committed before
 * that moment has been ticked. When it has lost its place it ticks everything. While it cannot
 * deliver, the watermark stands still, and shelves stop serving once it is too old.
 *
 * <p>Implementations are thread-safe.
 */
public interface Feed extends FollowedSchema, AutoCloseable {
  /**
   * Finds its place in the stream of changes, moves the watermark for the first time, and goes on
   * delivering in the background until closed. May be called again after it has failed, or after
   * {@link #close}.
   *
   * @param receiver of what it finds; what that throws counts as a failed look, and the same comes
   *     again
   * @throws FeedException if the database cannot be reached or the feed is not installed there; it
   *     follows nothing then
   */
  void follow(Receiver receiver) throws FeedException;

  /**
   * How far everything has been delivered, so that another process, or this one after a start anew,
   * can {@linkplain #from begin} there: every change that is in the place has been delivered.
   *
   * @return empty as long as nobody can say so
   */
  Optional<FeedPlace> place();

  /**
   * The tick that fences an answer of another process here: every change that is not in the place
   * bears a later one.
   *
   * @param place of a feed of the same kind
   * @return empty if that is not known: the place is in another stream, or from before what is
   *     remembered
   */
  OptionalLong tickAt(FeedPlace place);

  /**
   * Has it begin at an earlier place, so that it tells of all changes since. To be called before
   * {@link #follow}. If that is not possible any more, it counts as having lost its place.
   *
   * @param place what {@link #place()} of a feed of the same kind has said
   */
  void from(FeedPlace place);

  /** Asks for the next look at the database to be taken at once. Returns without waiting. */
  void hurry();

  /** What it counts, and how it is; goes on. */
  FeedMeters meters();

  /**
   * Has the changes told to this from now on, before they are delivered, on the feed's thread; null
   * for nobody. A change of {@link dev.warmshelf.lane.Lane#SCHEMA} stands for something unknown.
   */
  void tellChanges(@Nullable Consumer<List<Change>> told);

  /** Ends the delivery. */
  @Override
  void close();
}
