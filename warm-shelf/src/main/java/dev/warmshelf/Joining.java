package dev.warmshelf;

import dev.warmshelf.base.Library;
import dev.warmshelf.spi.feed.FeedException;
import java.sql.SQLException;
import java.time.Duration;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * How shelves come to follow their feed: as they are opened, or by themselves later, once that is
 * possible.
 *
 * <p><b>The rule.</b> As long as they have not joined, the database answers each question, and
 * nothing is kept that may be served afterwards: whoever joins late invalidates everything once the
 * feed has found its place, and before the first question is answered from a shelf.
 *
 * <p>Thread-safe.
 */
final class Joining {
  private static final Logger LOG = LoggerFactory.getLogger(Library.LOG);
  private static final Duration FIRST_PAUSE = Duration.ofMillis(500);
  private static final Duration LONGEST_PAUSE = Duration.ofSeconds(10);

  private final Steps steps;
  private final CountDownLatch ended = new CountDownLatch(1);
  private volatile boolean done;
  private volatile @Nullable Exception trouble;
  private @Nullable Thread thread;

  /** What there is to do. */
  interface Steps {
    /** Asks the database, and follows the feed; if it throws, nothing is followed. */
    void connect() throws SQLException, FeedException;

    /** Begins to answer; asks nobody. */
    void begin(boolean late);

    /** Does not begin after all: the shelves have been closed. */
    void undo();
  }

  Joining(Steps steps) {
    this.steps = steps;
  }

  /** Whether the shelves may answer. */
  boolean isDone() {
    return done;
  }

  /** Why they may not yet; null if they may, or nobody has tried. */
  @Nullable Exception trouble() {
    return done ? null : trouble;
  }

  /**
   * Joins now.
   *
   * @throws SQLException if the database cannot be asked, or is not as it must be
   * @throws FeedException if the feed cannot start
   */
  void now() throws SQLException, FeedException {
    steps.connect();
    begin(false);
  }

  /** Joins as soon as that is possible, on a thread of its own. */
  synchronized void later(Exception why) {
    trouble = why;
    Thread joining = new Thread(this::run, "warm-shelf-join");
    joining.setDaemon(true);
    thread = joining;
    joining.start();
  }

  private void run() {
    long pause = FIRST_PAUSE.toNanos();
    try {
      while (!done && !ended.await(pause, TimeUnit.NANOSECONDS)) {
        pause = Math.min(pause + pause / 2, LONGEST_PAUSE.toNanos());
        attempt();
      }
    } catch (InterruptedException e) {
      LOG.debug("The shelves are closed before they have joined", e);
    }
  }

  private void attempt() {
    try {
      steps.connect();
      begin(true);
    } catch (SQLException | FeedException | RuntimeException e) {
      Exception before = trouble;
      trouble = e;
      if (ended.getCount() == 0) {
        LOG.debug("The shelves are closed before they have joined", e);
      } else if (before == null || !String.valueOf(before.getMessage()).equals(e.getMessage())) {
        LOG.warn("Still not joined: {}", e.getMessage());
      }
    }
  }

  private synchronized void begin(boolean late) {
    if (ended.getCount() == 0) {
      steps.undo();
    } else {
      steps.begin(late);
      done = true;
    }
  }

  /** Joins no more; what has been joined stays so. */
  synchronized void end() {
    ended.countDown();
    Thread joining = thread;
    if (joining != null) {
      joining.interrupt();
    }
  }
}
