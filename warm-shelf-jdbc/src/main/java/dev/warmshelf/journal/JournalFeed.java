package dev.warmshelf.journal;

import dev.warmshelf.feed.Batch;
import dev.warmshelf.feed.Delivery;
import dev.warmshelf.feed.Feed;
import dev.warmshelf.feed.FeedException;
import dev.warmshelf.feed.OwnWrite;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.TimeSource;
import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.key.Lane;
import dev.warmshelf.key.ValueKind;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.FeedMeters.State;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.time.Duration;
import java.util.Map;
import java.util.Objects;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Follows the journal by polling it.
 *
 * <p><b>Why the promise holds.</b> The changes are ticked after the look has returned; a statement
 * that begins then takes a snapshot no older than the look's, and so sees them. Why no change is
 * lost, see {@link JournalReader}.
 *
 * <p>The feed looks often while changes arrive and less often while none do. It also looks, twice a
 * second, whether the triggers are still what they were: a table whose trigger has been dropped,
 * disabled or replaced since counts as an upheaval, since changes may have gone by unnoted.
 *
 * <p>Keeps one connection for itself. If it breaks, the feed goes on from its place over a new one;
 * meanwhile the watermark stands still.
 */
public final class JournalFeed implements Feed {
  /** How long the feed waits between two looks while changes arrive, unless told otherwise. */
  public static final Duration DEFAULT_INTERVAL = Duration.ofMillis(10);

  /** While none arrive, the wait grows to this many times the interval. */
  public static final int IDLE_FACTOR = 4;

  private static final Logger LOG = LoggerFactory.getLogger(JournalFeed.class);
  private static final int CLOSE_MILLIS = 5_000;
  private static final Duration TRIM_INTERVAL = Duration.ofMinutes(1);
  private static final Duration COVERAGE_INTERVAL = Duration.ofMillis(500);
  private static final Duration PAUSE_AFTER_FAILURE = Duration.ofMillis(200);
  private static final String TRIM = "SELECT warm_shelf.trim_journal()";
  private static final String INSUFFICIENT_PRIVILEGE = "42501";

  private final DataSource dataSource;
  private final Duration interval;
  private final boolean listens;
  private final FeedMeters meters = new FeedMeters();
  private final Semaphore hurry = new Semaphore(0);
  private volatile boolean closed;
  private volatile Coverage coverage = Coverage.NONE;
  private volatile @Nullable Delivery delivery;
  private @Nullable Thread thread;

  /** Below: the polling thread's own. */
  private @Nullable Wakener wakener;

  private long pauseNanos;
  private long coverageAskedNanos;
  private long trimmedNanos;
  private boolean mayTrim = true;

  private JournalFeed(DataSource dataSource, Duration interval, boolean listens) {
    this.dataSource = dataSource;
    this.interval = interval;
    this.listens = listens;
  }

  /** A feed that polls every {@link #DEFAULT_INTERVAL}. */
  public static JournalFeed on(DataSource dataSource) {
    return new JournalFeed(dataSource, DEFAULT_INTERVAL, false);
  }

  /**
   * The same feed with another interval.
   *
   * @param pause between the end of a look and the start of the next while changes arrive, longer
   *     than zero
   */
  public JournalFeed polling(Duration pause) {
    if (pause.isNegative() || pause.isZero()) {
      throw new IllegalArgumentException(
          "The poll interval must be longer than zero, but is " + pause + ".");
    }
    return new JournalFeed(dataSource, pause, listens);
  }

  /**
   * The same feed, which is also woken by {@code NOTIFY}. For a journal that was installed with
   * {@link Journal#wakingReaders()}, over PostgreSQL's own JDBC driver.
   */
  public JournalFeed listening() {
    return new JournalFeed(dataSource, interval, true);
  }

  @Override
  public void follow(Board board, TimeSource time) throws FeedException {
    if (thread != null) {
      throw new FeedException("This feed is followed already; make one feed for each WarmShelf.");
    }
    Watermark start = Watermark.now(time);
    JournalReader reader = JournalReader.open(dataSource, time);
    try {
      coverage = Coverage.ask(reader.connection());
      wakener = listens ? Wakener.listen(reader.connection()) : null;
    } catch (SQLException e) {
      reader.close();
      throw new FeedException("The journal cannot be followed: " + e.getMessage(), e);
    }
    coverageAskedNanos = start.nanos();
    trimmedNanos = start.nanos();
    pauseNanos = interval.toNanos();
    Delivery to = new Delivery(board, meters);
    delivery = to;
    board.advance(start);
    meters.become(State.LIVE, null);
    thread = new Thread(() -> run(reader, to, time), "warm-shelf-journal");
    thread.setDaemon(true);
    thread.start();
  }

  @Override
  public boolean covers(Lane table) {
    return coverage.covers(table);
  }

  @Override
  public Map<String, ValueKind> toldApart(Lane table) {
    return coverage.columns(table);
  }

  @Override
  public void hurry() {
    hurry.release();
    Wakener listening = wakener;
    if (listening != null) {
      listening.interrupt();
    }
  }

  @Override
  public void expect(OwnWrite write) {
    Objects.requireNonNull(delivery, "followed").expect(write);
  }

  @Override
  public void forget(OwnWrite write) {
    Objects.requireNonNull(delivery, "followed").forget(write);
  }

  @Override
  public FeedMeters meters() {
    return meters;
  }

  @Override
  public void close() {
    closed = true;
    hurry();
    Thread running = thread;
    if (running != null) {
      try {
        running.join(CLOSE_MILLIS);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
      }
    }
    meters.become(State.CLOSED, null);
  }

  private void run(JournalReader reader, Delivery to, TimeSource time) {
    while (!closed) {
      try {
        if (!reader.isConnected()) {
          reader.connect();
          wakener = listens ? Wakener.listen(reader.connection()) : null;
          coverageAskedNanos = time.nanos() - COVERAGE_INTERVAL.toNanos();
        }
        Batch batch = reader.look();
        to.deliver(checked(batch, reader, time));
        trimNowAndThen(reader, time);
        if (meters.become(State.LIVE, null)) {
          LOG.info("The journal feed is back.");
        }
        pause(batch.changes().isEmpty());
      } catch (SQLException | RuntimeException e) {
        reader.disconnect();
        if (!closed && meters.become(State.LOST, e.getMessage())) {
          LOG.warn(
              "The journal feed is lost; shelves do what their policies say until it is back.", e);
        }
        pause(PAUSE_AFTER_FAILURE.toNanos());
      }
    }
    reader.close();
  }

  /**
   * The batch, with an upheaval if the triggers are not what they were. Asked after the look: what
   * they missed before the look had then been missed for good.
   */
  private Batch checked(Batch batch, JournalReader reader, TimeSource time) throws SQLException {
    if (batch.upheaval() == null
        && time.nanos() - coverageAskedNanos < COVERAGE_INTERVAL.toNanos()) {
      return batch;
    }
    coverageAskedNanos = time.nanos();
    Coverage before = coverage;
    Coverage now = Coverage.ask(reader.connection());
    coverage = now;
    return batch.upheaval() != null || now.equals(before)
        ? batch
        : new Batch(batch.mark(), batch.changes(), "The journal's triggers have changed");
  }

  /** Waits for less long after a look that found changes. */
  private void pause(boolean idle) throws SQLException {
    pauseNanos =
        idle
            ? Math.min(pauseNanos + pauseNanos / 4, interval.toNanos() * IDLE_FACTOR)
            : interval.toNanos();
    Wakener listening = wakener;
    if (listening == null) {
      pause(pauseNanos);
    } else if (hurry.drainPermits() == 0) {
      listening.await(pauseNanos);
    }
  }

  private void pause(long nanos) {
    try {
      if (hurry.tryAcquire(nanos, TimeUnit.NANOSECONDS)) {
        hurry.drainPermits();
      }
    } catch (InterruptedException e) {
      closed = true; // nobody interrupts this thread but a program that is ending
    }
  }

  /** Whoever reads the journal trims it now and then; a role that may not leaves it to others. */
  private void trimNowAndThen(JournalReader reader, TimeSource time) throws SQLException {
    if (!mayTrim || time.nanos() - trimmedNanos < TRIM_INTERVAL.toNanos()) {
      return;
    }
    trimmedNanos = time.nanos();
    try (PreparedStatement statement = reader.connection().prepareStatement(TRIM)) {
      statement.execute();
    } catch (SQLException e) {
      if (!INSUFFICIENT_PRIVILEGE.equals(e.getSQLState())) {
        throw e;
      }
      mayTrim = false;
      LOG.info(
          "This role may not trim the journal and leaves it to writers; GRANT EXECUTE ON FUNCTION"
              + " warm_shelf.trim_journal() to it to have readers do it.");
    }
  }
}
