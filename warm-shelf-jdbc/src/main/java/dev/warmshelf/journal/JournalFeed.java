package dev.warmshelf.journal;

import dev.warmshelf.feed.Feed;
import dev.warmshelf.feed.FeedException;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.TimeSource;
import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.key.Lane;
import dev.warmshelf.postgres.Session;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.HashSet;
import java.util.Objects;
import java.util.Set;
import java.util.concurrent.locks.LockSupport;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Reads the journal by polling it.
 *
 * <p><b>Why no change is lost.</b> Transactions commit in another order than they write the
 * journal, so "rows after the last one seen" would pass over a row of a transaction that was still
 * open when a later one was read. Instead the feed's place is a <em>snapshot</em>: the set of
 * transactions that had ended when it last looked. Each poll is one statement, and so sees one
 * snapshot; it fetches that snapshot together with the rows of all transactions that had not ended
 * in the last one. Two polls in a row therefore leave no gap between them, however long a
 * transaction stays open.
 *
 * <p><b>Why the promise holds.</b> The rows are ticked after the poll has returned; a statement
 * that begins then takes a snapshot no older than the poll's, and so sees the changes. The
 * watermark is the moment before the poll was sent: a commit that had returned by then was in its
 * snapshot.
 *
 * <p>Keeps one connection for itself. If it breaks, the feed goes on from its place over a new one;
 * meanwhile the watermark stands still.
 */
public final class JournalFeed implements Feed {
  /** How long the feed waits between two polls unless told otherwise. */
  public static final Duration DEFAULT_INTERVAL = Duration.ofMillis(20);

  /** How long the journal keeps its rows unless told otherwise. */
  public static final Duration DEFAULT_RETENTION = Duration.ofHours(1);

  private static final Logger LOG = LoggerFactory.getLogger(JournalFeed.class);

  /** What the journal calls a change of the schema. */
  private static final Lane SCHEMA = Lane.named("*");

  private static final int NETWORK_TIMEOUT_MILLIS = 5_000;
  private static final Duration TRIM_INTERVAL = Duration.ofMinutes(1);
  private static final Duration COVERAGE_INTERVAL = Duration.ofSeconds(1);
  private static final Duration PAUSE_AFTER_FAILURE = Duration.ofMillis(200);

  /** One statement, one snapshot: the new place, and what has ended since the old one. */
  private static final String POLL =
      """
      SELECT pg_current_snapshot()::text, i.name::text, j.lane,
             i.trimmed_through >= pg_snapshot_xmin(?::pg_snapshot)
      FROM warm_shelf.installation i
           LEFT JOIN warm_shelf.journal j
                  ON j.xid >= pg_snapshot_xmin(?::pg_snapshot)
                 AND NOT pg_visible_in_snapshot(j.xid, ?::pg_snapshot)
      """;

  private static final String TRIM = "SELECT warm_shelf.trim_journal(make_interval(secs => ?))";
  private static final String INSUFFICIENT_PRIVILEGE = "42501";

  private static final String FIND_PLACE =
      "SELECT pg_current_snapshot()::text, name::text FROM warm_shelf.installation";

  private final DataSource dataSource;
  private final Duration interval;
  private final Duration retention;
  private volatile boolean closed;
  private volatile Set<Lane> covered = Set.of();

  /** Somebody asked for a lane that was not covered: look again, now and then. */
  private volatile boolean missedLane;

  private @Nullable Thread thread;

  /** Below: the polling thread's own. */
  private @Nullable Connection connection;

  private @Nullable PreparedStatement poll;
  private @Nullable Place place;
  private boolean lost;
  private long coveredAskedNanos;
  private long trimmedNanos;
  private boolean mayTrim = true;

  private record Place(String snapshot, String installation) {}

  private JournalFeed(DataSource dataSource, Duration interval, Duration retention) {
    this.dataSource = dataSource;
    this.interval = interval;
    this.retention = retention;
  }

  /** A feed that polls every {@link #DEFAULT_INTERVAL}. */
  public static JournalFeed on(DataSource dataSource) {
    return new JournalFeed(dataSource, DEFAULT_INTERVAL, DEFAULT_RETENTION);
  }

  /**
   * The same feed with another interval.
   *
   * @param pause between the end of a poll and the start of the next, longer than zero
   */
  public JournalFeed polling(Duration pause) {
    if (pause.isNegative() || pause.isZero()) {
      throw new IllegalArgumentException(
          "The poll interval must be longer than zero, but is " + pause + ".");
    }
    return new JournalFeed(dataSource, pause, retention);
  }

  /**
   * The same feed with another retention: rows of the journal older than this are forgotten. A
   * reader that was away for longer knows, and starts anew.
   *
   * @param age a minute or more
   */
  public JournalFeed keeping(Duration age) {
    if (age.compareTo(Duration.ofMinutes(1)) < 0) {
      throw new IllegalArgumentException(
          "The journal must be kept for a minute or more, but was to be kept for " + age + ".");
    }
    return new JournalFeed(dataSource, interval, age);
  }

  @Override
  public void follow(Board board, TimeSource time) throws FeedException {
    if (thread != null) {
      throw new FeedException("This feed is followed already; make one feed for each WarmShelf.");
    }
    try {
      Session.of(dataSource).requirePrimary();
      Watermark start = Watermark.now(time);
      connect(time);
      place = findPlace();
      trimmedNanos = start.nanos();
      board.advance(start);
    } catch (SQLException e) {
      disconnect();
      boolean missing = "42P01".equals(e.getSQLState()) || "3F000".equals(e.getSQLState());
      throw new FeedException(
          missing
              ? "The journal is not installed in this database; Journal.on(dataSource).install(...)"
                  + " does it."
              : "The journal cannot be read: " + e.getMessage(),
          e);
    }
    thread = new Thread(() -> run(board, time), "warm-shelf-journal");
    thread.setDaemon(true);
    thread.start();
  }

  @Override
  public boolean covers(Lane lane) {
    boolean known = covered.contains(lane);
    if (!known) {
      missedLane = true;
    }
    return known;
  }

  @Override
  public void close() {
    closed = true;
    Thread running = thread;
    if (running != null) {
      LockSupport.unpark(running);
      try {
        running.join(NETWORK_TIMEOUT_MILLIS);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
      }
    }
  }

  private void run(Board board, TimeSource time) {
    while (!closed) {
      try {
        if (connection == null) {
          connect(time);
        }
        pollOnce(board, time);
        if (missedLane && time.nanos() - coveredAskedNanos > COVERAGE_INTERVAL.toNanos()) {
          askCoverage(time);
        }
        if (mayTrim && time.nanos() - trimmedNanos > TRIM_INTERVAL.toNanos()) {
          trim(time);
        }
        if (lost) {
          lost = false;
          LOG.info("The journal feed is back; it goes on from its place.");
        }
        LockSupport.parkNanos(this, interval.toNanos());
      } catch (SQLException | RuntimeException e) {
        disconnect();
        if (!lost) {
          lost = true;
          LOG.warn(
              "The journal feed is lost; shelves let the database answer until it is back.", e);
        }
        LockSupport.parkNanos(this, PAUSE_AFTER_FAILURE.toNanos());
      }
    }
    disconnect();
  }

  private void pollOnce(Board board, TimeSource time) throws SQLException {
    Watermark mark = Watermark.now(time);
    Place before = Objects.requireNonNull(place, "follow() found a place");
    PreparedStatement statement = Objects.requireNonNull(poll, "connected");
    statement.setString(1, before.snapshot());
    statement.setString(2, before.snapshot());
    statement.setString(3, before.snapshot());
    Place now = null;
    boolean trimmed = false;
    Set<Lane> changed = new HashSet<>();
    try (ResultSet rows = statement.executeQuery()) {
      while (rows.next()) {
        now = new Place(rows.getString(1), rows.getString(2));
        trimmed = rows.getBoolean(4);
        String lane = rows.getString(3);
        if (lane != null) {
          changed.add(Lane.named(lane));
        }
      }
    }
    if (now == null) {
      throw new SQLException("The journal's installation has no name; it was removed or emptied.");
    }
    if (trimmed || !now.installation().equals(before.installation())) {
      LOG.warn(
          "The feed has lost its place, since the journal was {}; all kept answers are out.",
          trimmed ? "trimmed meanwhile" : "installed anew");
      askCoverage(time);
      board.noteSchemaChange();
    } else if (changed.contains(SCHEMA)) {
      LOG.info("The schema has changed; all kept answers are out.");
      askCoverage(time);
      board.noteSchemaChange();
    } else if (!changed.isEmpty()) {
      board.tick(changed);
      LOG.debug("changes lanes={}", changed);
    }
    place = now;
    board.advance(mark);
  }

  private Place findPlace() throws SQLException {
    Connection open = Objects.requireNonNull(connection, "connected");
    try (PreparedStatement statement = open.prepareStatement(FIND_PLACE);
        ResultSet row = statement.executeQuery()) {
      if (!row.next()) {
        throw new SQLException("The journal's installation has no name; install it again.");
      }
      return new Place(row.getString(1), row.getString(2));
    }
  }

  private void connect(TimeSource time) throws SQLException {
    Connection fresh = dataSource.getConnection();
    try {
      fresh.setAutoCommit(true);
      fresh.setNetworkTimeout(Runnable::run, NETWORK_TIMEOUT_MILLIS);
      execute(
          fresh, "SET plan_cache_mode = force_generic_plan"); // planning costs more than polling
      poll = fresh.prepareStatement(POLL);
      connection = fresh;
      askCoverage(time);
    } catch (SQLException | RuntimeException e) {
      connection = null;
      fresh.close();
      throw e;
    }
  }

  /**
   * Anybody who reads the journal trims it now and then; a role that may not leaves it to others.
   */
  private void trim(TimeSource time) throws SQLException {
    trimmedNanos = time.nanos();
    Connection open = Objects.requireNonNull(connection, "connected");
    try (PreparedStatement statement = open.prepareStatement(TRIM)) {
      statement.setLong(1, retention.toSeconds());
      statement.execute();
    } catch (SQLException e) {
      if (!INSUFFICIENT_PRIVILEGE.equals(e.getSQLState())) {
        throw e;
      }
      mayTrim = false;
      LOG.warn(
          "This role may not trim the journal, which grows until one may: GRANT EXECUTE ON FUNCTION"
              + " warm_shelf.trim_journal(interval) to it.");
    }
  }

  private void askCoverage(TimeSource time) throws SQLException {
    missedLane = false;
    coveredAskedNanos = time.nanos();
    covered = Set.copyOf(Journal.covered(Objects.requireNonNull(connection, "connected")));
  }

  private void disconnect() {
    Connection open = connection;
    connection = null;
    poll = null;
    if (open != null) {
      try (open) {
        execute(open, "RESET plan_cache_mode"); // a pool may hand the connection to somebody else
      } catch (SQLException e) {
        LOG.debug("closing the journal's connection failed", e);
      }
    }
  }

  private static void execute(Connection on, String sql) throws SQLException {
    try (Statement statement = on.createStatement()) {
      statement.execute(sql);
    }
  }
}
