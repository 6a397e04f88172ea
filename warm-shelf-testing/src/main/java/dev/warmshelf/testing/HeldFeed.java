package dev.warmshelf.testing;

import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.spi.feed.Feed;
import dev.warmshelf.spi.feed.FeedException;
import dev.warmshelf.spi.feed.FeedPlace;
import dev.warmshelf.spi.feed.Receiver;
import dev.warmshelf.spi.feed.Watched;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.function.Consumer;
import org.jspecify.annotations.Nullable;

/**
 * A feed that looks when it is told to: by a commit of the program's own, or by the test. While it
 * is held back it does not look at all, as one whose connection hangs.
 */
final class HeldFeed implements Feed {
  private static final Duration PATIENCE = Duration.ofSeconds(20);

  private final Feed feed;
  private volatile boolean held;
  private volatile @Nullable Receiver following;

  /**
   * @param feed which looks by itself so seldom that no test notices
   */
  HeldFeed(Feed feed) {
    this.feed = feed;
  }

  void hold(boolean back) {
    held = back;
  }

  boolean isHeld() {
    return held;
  }

  /** Has it look, and waits until it has told of all that had committed. */
  void look() {
    Receiver now = following;
    if (now == null || held) {
      throw new IllegalStateException("The feed is held back; let it go on first.");
    }
    long moment = now.time().nanos();
    feed.hurry();
    if (!now.awaitMark(moment, PATIENCE)) {
      throw new IllegalStateException(
          "The feed has not told of all within "
              + PATIENCE.toSeconds()
              + " s; it is "
              + feed.meters().snapshot().state()
              + ".");
    }
  }

  @Override
  public void follow(Receiver receiver) throws FeedException {
    feed.follow(receiver);
    following = receiver;
  }

  @Override
  public void hurry() {
    if (!held) {
      feed.hurry();
    }
  }

  @Override
  public Optional<FeedPlace> place() {
    return feed.place();
  }

  @Override
  public OptionalLong tickAt(FeedPlace place) {
    return feed.tickAt(place);
  }

  @Override
  public void from(FeedPlace place) {
    feed.from(place);
  }

  @Override
  public FeedMeters meters() {
    return feed.meters();
  }

  @Override
  public boolean covers(Lane table) {
    return feed.covers(table);
  }

  @Override
  public Map<String, ColumnKind> trackedColumns(Lane table) {
    return feed.trackedColumns(table);
  }

  @Override
  public long schemaMark() {
    return feed.schemaMark();
  }

  @Override
  public boolean watch(long mark, Watched watched) {
    return feed.watch(mark, watched);
  }

  @Override
  public void tellChanges(@Nullable Consumer<List<Change>> told) {
    feed.tellChanges(told);
  }

  @Override
  public void close() {
    feed.close();
  }
}
