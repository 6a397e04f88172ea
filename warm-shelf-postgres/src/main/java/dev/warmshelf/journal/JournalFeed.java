package dev.warmshelf.journal;

import dev.warmshelf.caller.OwnConnections;
import dev.warmshelf.database.OwnChanges;
import dev.warmshelf.spi.feed.Batch;
import dev.warmshelf.spi.feed.FeedException;
import dev.warmshelf.spi.feed.FeedPlace;
import dev.warmshelf.spi.feed.Poll;
import dev.warmshelf.spi.feed.PollingFeed;
import dev.warmshelf.time.TimeSource;
import java.sql.Connection;
import java.sql.SQLException;
import java.time.Duration;
import java.util.function.Consumer;
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
 * they were: a table whose trigger has been dropped, disabled or replaced since counts as an reset,
 * since changes may have gone by unnoted. At the same time it looks whether the parts of the schema
 * on which statements depend are what they were: where no superuser installed the journal, that is
 * how it learns of changed views and functions.
 *
 * <p>Keeps one connection of its data source for as long as it follows. Best is a data source of
 * its own ({@link #on(String, String, String)}): a pool for queries then has all of its connections
 * for them, and sees none that is never given back. If the connection breaks, the feed goes on from
 * its place over a new one; meanwhile the watermark stands still.
 */
@SuppressWarnings("exports") // what it implements beside the seam is the engine's
public final class JournalFeed extends PollingFeed implements OwnChanges {
  /** How long the feed waits between two looks while changes arrive, unless told otherwise. */
  public static final Duration DEFAULT_INTERVAL = Duration.ofMillis(10);

  private final Settings settings;
  private volatile @Nullable JournalPoll polling;

  private record Settings(
      DataSource dataSource,
      Duration interval,
      boolean listens,
      @Nullable Consumer<Batch> listener) {}

  private JournalFeed(Settings settings) {
    super("warm-shelf-journal", settings.interval(), settings.listener());
    this.settings = settings;
  }

  /**
   * A feed that polls every {@link #DEFAULT_INTERVAL}, over a connection of this data source, which
   * it keeps.
   */
  public static JournalFeed on(DataSource dataSource) {
    return new JournalFeed(new Settings(dataSource, DEFAULT_INTERVAL, false, null));
  }

  /**
   * The same over a connection of its own, that comes from no pool.
   *
   * @param url as {@link java.sql.DriverManager} knows it
   * @param user null for what the URL says, or the driver finds
   * @param password null for the same, such as the one in a password file
   */
  public static JournalFeed on(String url, @Nullable String user, @Nullable String password) {
    return on(new OwnConnections(url, user, password));
  }

  /**
   * The same feed with another interval.
   *
   * @param pause between the end of a look and the start of the next while changes arrive, longer
   *     than zero
   * @throws IllegalArgumentException if it is not
   */
  public JournalFeed polling(Duration pause) {
    return new JournalFeed(
        new Settings(settings.dataSource, pause, settings.listens, settings.listener));
  }

  /**
   * The same feed, which is also woken by {@code NOTIFY}. For a journal that was installed with
   * {@link Journal#wakingReaders()}, over PostgreSQL's own JDBC driver.
   */
  public JournalFeed listening() {
    return new JournalFeed(
        new Settings(settings.dataSource, settings.interval, true, settings.listener));
  }

  /**
   * The same feed, which also tells of each batch before it is delivered.
   *
   * @param listener called on the feed's thread, so it must be quick; what it throws counts as a
   *     failed look, and the batch comes again
   */
  public JournalFeed telling(Consumer<Batch> listener) {
    return new JournalFeed(
        new Settings(settings.dataSource, settings.interval, settings.listens, listener));
  }

  @Override
  protected Poll open(TimeSource time, @Nullable FeedPlace from) throws FeedException {
    WrittenPlace place = from == null ? null : WrittenPlace.of(from);
    String lost = from == null || place != null ? null : "The place to begin at cannot be read";
    JournalReader reader = JournalReader.open(settings.dataSource, time, place);
    boolean done = false;
    try {
      JournalPoll poll =
          new JournalPoll(
              reader, time, settings.listens, lost, place == null ? null : place.triggers());
      polling = poll;
      done = true;
      return poll;
    } catch (SQLException e) {
      throw new FeedException("The journal cannot be followed: " + e.getMessage(), e);
    } finally {
      if (!done) {
        reader.giveUp();
      }
    }
  }

  @Override
  public @Nullable Told ask(Connection connection) {
    JournalPoll open = polling;
    return open == null ? null : open.ask(connection, this::hasTold);
  }
}
