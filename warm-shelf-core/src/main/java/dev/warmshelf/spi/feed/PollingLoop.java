package dev.warmshelf.spi.feed;

import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.FeedMeters.State;
import java.time.Duration;
import java.util.OptionalLong;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Polls a database for changes and delivers them: the thread, its state, its pauses.
 *
 * <p><b>Nothing is lost.</b> A batch is delivered, and only then its place is taken; whatever fails
 * in between, the next look finds the same changes again. Delivering some twice invalidates some
 * answers twice.
 *
 * <p><b>Nothing ends it</b> but {@link #close}. Whatever is thrown, an {@link Error} included, is
 * logged and shown by the meters as the feed's trouble; then it tries again, after a pause that
 * grows from one failure to the next. Nobody's hurry shortens that pause: a database in trouble is
 * not asked more often the more readers wait for it.
 *
 * <p>Thread-safe.
 */
final class PollingLoop implements AutoCloseable {
  private static final Logger LOG = LoggerFactory.getLogger(PollingLoop.class);
  private static final Duration FIRST_PAUSE = Duration.ofMillis(200);
  private static final Duration LONGEST_PAUSE = Duration.ofSeconds(5);
  private static final Duration CLOSING = Duration.ofSeconds(5);

  /** While nothing arrives, the wait between two looks grows to this many times the interval. */
  static final int IDLE_FACTOR = 4;

  private final String name;
  private final Poll poll;
  private final Consumer<Batch> delivery;
  private final FeedMeters meters;
  private final long intervalNanos;
  private final Pauses pauses;
  private final CountDownLatch closed = new CountDownLatch(1);
  private final Thread thread;
  private final Receiver receiver;
  private final PlaceHistory history = new PlaceHistory(MOST_PLACES);
  private volatile @Nullable FeedPlace place;

  /** Of a feed that finds changes at each look the latest seconds are all there. */
  private static final int MOST_PLACES = 1_024;

  /** How to wait after a failure; a test's own lets no time pass. */
  interface Pauses {
    /** Waits for so long, or until the latch opens. */
    void pause(CountDownLatch closed, long nanos) throws InterruptedException;
  }

  /**
   * A loop that has not begun.
   *
   * @param delivery given each batch; if it throws, the batch comes again
   * @param receiver that it is delivered to
   * @param name of the thread, and in the log
   * @param interval between the end of a look and the next while changes arrive
   */
  PollingLoop(
      String name,
      Poll poll,
      Consumer<Batch> delivery,
      Receiver receiver,
      FeedMeters meters,
      Duration interval) {
    this(
        name,
        poll,
        delivery,
        receiver,
        meters,
        interval,
        (closed, nanos) -> {
          boolean ended = closed.await(nanos, TimeUnit.NANOSECONDS);
          LOG.trace("paused for {} ns, closed: {}", nanos, ended);
        });
  }

  PollingLoop(
      String name,
      Poll poll,
      Consumer<Batch> delivery,
      Receiver receiver,
      FeedMeters meters,
      Duration interval,
      Pauses pauses) {
    this.name = name;
    this.poll = poll;
    this.delivery = delivery;
    this.receiver = receiver;
    this.meters = meters;
    this.intervalNanos = interval.toNanos();
    this.pauses = pauses;
    this.thread = new Thread(this::run, name);
    thread.setDaemon(true);
  }

  /** Says where the first look begins: what is not in that place is ticked from now on. */
  void beginAt(FeedPlace from) {
    history.add(from, receiver.lastTick());
  }

  /** Begins to poll. */
  void start() {
    thread.start();
  }

  /** Asks for the next look to be taken at once, unless the last one failed. */
  void hurry() {
    poll.interrupt();
  }

  /** Ends the delivery, and waits for it to end, for some seconds at most. */
  @Override
  public void close() {
    closed.countDown();
    poll.interrupt();
    try {
      thread.join(CLOSING.toMillis());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
    meters.become(State.CLOSED, null);
  }

  /** The last place up to which everything was told and delivered; null before the first. */
  @Nullable FeedPlace place() {
    return place;
  }

  /** As {@link Feed#tickAt} has it. */
  OptionalLong tickAt(FeedPlace other) {
    return history.tickAt(other, poll::covers);
  }

  private boolean isClosed() {
    return closed.getCount() == 0;
  }

  private void run() {
    long wait = intervalNanos;
    long pause = FIRST_PAUSE.toNanos();
    while (!isClosed()) {
      try {
        Batch batch = lookOnce();
        boolean again = poll.beside();
        pause = FIRST_PAUSE.toNanos();
        wait = waitAfter(batch, wait);
        if (!again) {
          poll.await(wait);
        }
      } catch (Throwable e) { // an Error, too: without this thread nothing would ever be fresh
        afterFailure(e, pause);
        pause = Math.min(2 * pause, LONGEST_PAUSE.toNanos());
      }
    }
    poll.close();
  }

  /** A batch that is not complete yet is completed soon, however seldom looks are taken. */
  private long waitAfter(Batch batch, long before) {
    if (batch.mark().isEmpty()) {
      return Math.min(intervalNanos, FIRST_PAUSE.toNanos());
    }
    return batch.changes().isEmpty()
        ? Math.min(Math.max(intervalNanos, before + before / 4), intervalNanos * IDLE_FACTOR)
        : intervalNanos;
  }

  /** Looks, delivers what was found, and says how the feed is. */
  Batch lookOnce() throws Exception {
    PlaceHistory.Before before = PlaceHistory.before(receiver);
    Batch batch = poll.look();
    delivery.accept(batch);
    poll.taken();
    FeedPlace taken = batch.mark().isEmpty() ? null : poll.place();
    place = taken; // once all in it has been ticked
    if (taken != null) {
      history.add(taken, before.tick(receiver));
    }
    if (batch.mark().isEmpty()) {
      become(State.LOST, "changes that nobody noted may still be committed", null);
    } else {
      become(State.LIVE, null, null);
    }
    return batch;
  }

  private void afterFailure(Throwable e, long nanos) {
    guarded(() -> become(State.LOST, e.getMessage() == null ? e.toString() : e.getMessage(), e));
    guarded(poll::giveUp);
    guarded(() -> pauses.pause(closed, nanos));
  }

  private interface Step {
    void take() throws InterruptedException;
  }

  /** Whatever a step throws, the next one is taken. */
  private void guarded(Step step) {
    try {
      step.take();
    } catch (InterruptedException e) {
      LOG.debug("{} was interrupted, and goes on until it is closed", name);
    } catch (Throwable e) {
      meters.become(State.LOST, e.toString()); // memory may be too short even for the log
    }
  }

  private void become(State state, @Nullable String why, @Nullable Throwable cause) {
    if (isClosed() || !meters.become(state, why)) {
      return;
    }
    if (state == State.LIVE) {
      LOG.info("{} is live.", name);
    } else {
      LOG.warn(
          "{} is lost ({}); shelves do what their policies say until it is back.",
          name,
          why,
          cause);
    }
  }
}
