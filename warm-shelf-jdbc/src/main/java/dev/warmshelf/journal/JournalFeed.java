package dev.warmshelf.journal;

import dev.warmshelf.feed.Delivery;
import dev.warmshelf.feed.Feed;
import dev.warmshelf.feed.FeedException;
import dev.warmshelf.feed.OwnWrite;
import dev.warmshelf.feed.PollingFeed;
import dev.warmshelf.feed.Watched;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.TimeSource;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.FeedMeters.State;
import java.sql.SQLException;
import java.time.Duration;
import java.util.Map;
import java.util.Objects;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/**
 * Follows the journal by polling it.
 *
 * <p><b>Why the promise holds.</b> The changes are ticked after the look has returned; a statement
 * that begins then takes a snapshot no older than the look's, and so sees them. Why no change is
 * lost, see {@link JournalReader}.
 *
 * <p>The feed looks often while changes arrive and less often while none do. It also looks, twice a
 * second (less often where thousands of tables are followed), whether the triggers are still what
 * they were: a table whose trigger has been dropped, disabled or replaced since counts as an
 * upheaval, since changes may have gone by unnoted. At the same time it looks whether the parts of
 * the schema on which statements depend are what they were: where no superuser installed the
 * journal, that is how it learns of changed views and functions.
 *
 * <p>Keeps one connection of its data source for as long as it follows. Best is a data source of
 * its own ({@link #on(String, String, String)}): a pool for queries then has all of its connections
 * for them, and sees none that is never given back. If the connection breaks, the feed goes on from
 * its place over a new one; meanwhile the watermark stands still.
 */
public final class JournalFeed implements Feed {
  /** How long the feed waits between two looks while changes arrive, unless told otherwise. */
  public static final Duration DEFAULT_INTERVAL = Duration.ofMillis(10);

  private static final String STARTED_EARLIER =
      "nobody followed the journal until now, and transactions that began earlier have not ended";

  private final DataSource dataSource;
  private final Duration interval;
  private final boolean listens;
  private final FeedMeters meters = new FeedMeters();
  private volatile @Nullable Running running;

  private record Running(JournalPoll poll, Delivery delivery, PollingFeed polling) {}

  private JournalFeed(DataSource dataSource, Duration interval, boolean listens) {
    this.dataSource = dataSource;
    this.interval = interval;
    this.listens = listens;
  }

  /**
   * A feed that polls every {@link #DEFAULT_INTERVAL}, over a connection of this data source, which
   * it keeps.
   */
  public static JournalFeed on(DataSource dataSource) {
    return new JournalFeed(dataSource, DEFAULT_INTERVAL, false);
  }

  /**
   * The same over a connection of its own, that comes from no pool.
   *
   * @param url as {@link java.sql.DriverManager} knows it
   */
  public static JournalFeed on(String url, String user, String password) {
    return on(new OwnConnections(url, user, password));
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
    if (running != null) {
      throw new FeedException("This feed is followed already; make one feed for each WarmShelf.");
    }
    JournalReader reader = JournalReader.open(dataSource, time);
    try {
      JournalPoll poll = new JournalPoll(reader, time, listens);
      Delivery delivery = new Delivery(board, meters);
      PollingFeed polling = new PollingFeed("warm-shelf-journal", poll, delivery, meters, interval);
      delivery.deliver(poll.look());
      poll.taken();
      meters.become(board.watermark() == null ? State.LOST : State.LIVE, STARTED_EARLIER);
      running = new Running(poll, delivery, polling);
      polling.start();
    } catch (SQLException e) {
      reader.giveUp();
      throw new FeedException("The journal cannot be followed: " + e.getMessage(), e);
    }
  }

  private Running running() {
    return Objects.requireNonNull(running, "followed");
  }

  @Override
  public boolean covers(Lane table) {
    return running().poll().coverage().covers(table);
  }

  @Override
  public Map<String, ColumnKind> toldApart(Lane table) {
    return running().poll().coverage().columns(table);
  }

  @Override
  public long schemaMark() {
    return running().poll().watch().mark();
  }

  @Override
  public boolean watch(long mark, Watched watched) {
    return running().poll().watch().add(mark, watched);
  }

  @Override
  public void hurry() {
    running().polling().hurry();
  }

  @Override
  public void expect(OwnWrite write) {
    running().delivery().expect(write);
  }

  @Override
  public void forget(OwnWrite write) {
    running().delivery().forget(write);
  }

  @Override
  public FeedMeters meters() {
    return meters;
  }

  @Override
  public void close() {
    Running open = running;
    if (open != null) {
      open.polling().close();
    }
    meters.become(State.CLOSED, null);
  }
}
