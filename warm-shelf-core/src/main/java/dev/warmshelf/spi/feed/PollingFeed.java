package dev.warmshelf.spi.feed;

import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.FeedMeters.State;
import dev.warmshelf.time.TimeSource;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.function.Consumer;
import org.jspecify.annotations.Nullable;

/**
 * A feed that learns of changes by asking for them. It owns the thread, its state, its pauses after
 * failures, and the delivery; one kind of feed differs from another by its {@link Poll} alone.
 *
 * <p>Thread-safe.
 */
public abstract class PollingFeed implements Feed {
  private final String name;
  private final Duration interval;
  private final @Nullable Consumer<Batch> listener;
  private final FeedMeters meters = new FeedMeters();
  private volatile @Nullable FeedPlace from;
  private volatile @Nullable Running running;
  private volatile @Nullable Consumer<List<Change>> changes;

  private record Running(Poll poll, Receiver receiver, PollingLoop loop) {}

  /**
   * A feed that does not follow yet.
   *
   * @param name of its thread, and in the log
   * @param interval between the end of a look and the next while changes arrive, longer than zero
   * @param listener told of each batch before that is delivered, on the feed's thread; what it
   *     throws counts as a failed look. May be null
   * @throws IllegalArgumentException if the interval is not longer than zero
   */
  protected PollingFeed(String name, Duration interval, @Nullable Consumer<Batch> listener) {
    if (interval.isNegative() || interval.isZero()) {
      throw new IllegalArgumentException(
          "The poll interval must be longer than zero, but is " + interval + ".");
    }
    this.name = name;
    this.interval = interval;
    this.listener = listener;
  }

  /**
   * Connects, and finds the place to begin at.
   *
   * @param from the place, as another {@link Poll#place} said it; null for today's end. If it
   *     cannot begin there, its first batch says that nothing can be relied on
   * @throws FeedException if that is not possible; nothing is left open then
   */
  protected abstract Poll open(TimeSource time, @Nullable FeedPlace from) throws FeedException;

  @Override
  public final void follow(Receiver receiver) throws FeedException {
    if (running != null) {
      throw new FeedException("This feed is followed already; make one feed for each WarmShelf.");
    }
    Poll poll = open(receiver.time(), from);
    boolean done = false;
    try {
      Consumer<Batch> told =
          batch -> {
            tell(batch);
            receiver.deliver(batch);
          };
      Consumer<Batch> all = listener == null ? told : listener.andThen(told);
      PollingLoop loop = new PollingLoop(name, poll, all, receiver, meters, interval);
      loop.beginAt(poll.place());
      loop.lookOnce();
      running = new Running(poll, receiver, loop);
      loop.start();
      done = true;
    } catch (Exception e) {
      throw new FeedException("The changes cannot be followed: " + e.getMessage(), e);
    } finally {
      if (!done) {
        poll.giveUp();
      }
    }
  }

  private void tell(Batch batch) {
    Consumer<List<Change>> told = changes;
    if (told == null) {
      return;
    } else if (batch.reset().isPresent() || !batch.meanings().isEmpty()) {
      told.accept(List.of(Change.atLarge(Lane.SCHEMA)));
    } else if (!batch.changes().isEmpty()) {
      told.accept(batch.changes());
    }
  }

  @Override
  public final void tellChanges(@Nullable Consumer<List<Change>> told) {
    changes = told;
  }

  @Override
  public final void from(FeedPlace place) {
    from = place;
  }

  @Override
  public final Optional<FeedPlace> place() {
    Running open = running;
    return open == null ? Optional.empty() : Optional.ofNullable(open.loop().place());
  }

  @Override
  public final OptionalLong tickAt(FeedPlace place) {
    Running open = running;
    return open == null ? OptionalLong.empty() : open.loop().tickAt(place);
  }

  @Override
  public final boolean covers(Lane table) {
    Running open = running;
    return open != null && open.poll().covers(table);
  }

  @Override
  public final Map<String, ColumnKind> trackedColumns(Lane table) {
    Running open = running;
    return open == null ? Map.of() : open.poll().trackedColumns(table);
  }

  @Override
  public final long schemaMark() {
    Running open = running;
    return open == null ? NONE : open.poll().schemaMark();
  }

  @Override
  public final boolean watch(long mark, Watched watched) {
    Running open = running;
    return open != null && open.poll().watch(mark, watched);
  }

  @Override
  public final void hurry() {
    Running open = running;
    if (open != null) {
      open.loop().hurry();
    }
  }

  /** As {@link Receiver#hasTold} has it. */
  protected final boolean hasTold(String transaction) {
    Running open = running;
    return open != null && open.receiver().hasTold(transaction);
  }

  @Override
  public final FeedMeters meters() {
    return meters;
  }

  @Override
  public final void close() {
    Running open = running;
    if (open != null) {
      open.loop().close();
      running = null;
    }
    meters.become(State.CLOSED, null);
  }
}
