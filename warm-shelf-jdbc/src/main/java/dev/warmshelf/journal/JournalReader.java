package dev.warmshelf.journal;

import dev.warmshelf.feed.Batch;
import dev.warmshelf.feed.Change;
import dev.warmshelf.feed.FeedException;
import dev.warmshelf.fresh.TimeSource;
import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.key.Lane;
import dev.warmshelf.postgres.Session;
import java.sql.Array;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.concurrent.TimeUnit;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Reads the journal from a place in it, look by look.
 *
 * <p><b>Why no change is lost.</b> Transactions commit in another order than they write the
 * journal, so "rows after the last one seen" would pass over a row of a transaction that was still
 * open when a later one was read. Instead the place is a <em>snapshot</em>: the set of transactions
 * that had ended at the last look. Each look is one statement, and so sees one snapshot; it fetches
 * that snapshot together with the rows of all transactions that had not ended in the last one. Two
 * looks in a row therefore leave no gap between them, however long a transaction stays open.
 *
 * <p><b>When the place is lost.</b> When the journal was installed anew, or rows that the place
 * still needed were trimmed; when this is another server, another timeline (after a failover or a
 * restore to an earlier moment), or one whose transactions are behind the place (a copy put back);
 * and when the server was started anew, since it may have lost commits that somebody had it not
 * wait for ({@code synchronous_commit}) and that had been told already.
 *
 * <p>Keeps one connection for itself between {@link #connect} and {@link #disconnect}; the place
 * outlives them. Not thread-safe.
 */
public final class JournalReader implements AutoCloseable {
  private static final Logger LOG = LoggerFactory.getLogger(JournalReader.class);
  private static final int NETWORK_TIMEOUT_MILLIS = 5_000;
  private static final Lane SCHEMA = Lane.named("*");

  /** One statement, one snapshot: the new place, and what has ended since the old one. */
  private static final String LOOK =
      """
      SELECT pg_current_snapshot()::text, i.name::text,
             left(pg_walfile_name(pg_current_wal_lsn()), 8),
             i.trimmed_through >= pg_snapshot_xmin(p.place),
             pg_snapshot_xmax(pg_current_snapshot()) < pg_snapshot_xmax(p.place),
             j.xid::text, j.lane, j.kind, j.told,
             (extract(epoch FROM clock_timestamp() - j.at) * 1000000)::bigint
      FROM warm_shelf.installation i
           CROSS JOIN (VALUES (?::pg_snapshot)) p(place)
           LEFT JOIN warm_shelf.journal j
                  ON j.xid >= pg_snapshot_xmin(p.place)
                 AND NOT pg_visible_in_snapshot(j.xid, p.place)
      """;

  private static final String FIND_PLACE =
      """
      SELECT pg_current_snapshot()::text, i.name::text,
             left(pg_walfile_name(pg_current_wal_lsn()), 8), i.version
      FROM warm_shelf.installation i
      """;

  /** Which server this is, and since when it runs; the checkpointer starts anew after a crash. */
  private static final String SERVER =
      """
      SELECT c.system_identifier::text,
             concat_ws(' ', pg_postmaster_start_time(),
                       (SELECT backend_start FROM pg_stat_activity
                        WHERE backend_type = 'checkpointer'))
      FROM pg_control_system() c
      """;

  private final DataSource dataSource;
  private final TimeSource time;
  private @Nullable Connection connection;
  private @Nullable PreparedStatement look;
  private @Nullable Place place;
  private @Nullable Server server;
  private @Nullable String lostBecause;

  private record Server(String identifier, String started) {}

  private record Place(String snapshot, String installation, String timeline) {}

  private JournalReader(DataSource dataSource, TimeSource time) {
    this.dataSource = dataSource;
    this.time = time;
  }

  /**
   * Connects, and takes today's end of the journal as the place to begin at.
   *
   * @throws FeedException if the database cannot be reached or the journal is not installed there
   */
  public static JournalReader open(DataSource dataSource, TimeSource time) throws FeedException {
    JournalReader reader = new JournalReader(dataSource, time);
    try {
      Session.of(dataSource).requirePrimary();
      reader.connect();
      reader.findPlace();
      return reader;
    } catch (SQLException e) {
      reader.disconnect();
      throw new FeedException(whyNot(e), e);
    }
  }

  private static String whyNot(SQLException e) {
    return switch (String.valueOf(e.getSQLState())) {
      case "42P01", "3F000" ->
          "The journal is not installed in this database; 'shelf feed install' or"
              + " Journal.on(dataSource).install(...) does it.";
      case "42703" -> olderVersion();
      default -> "The journal cannot be read: " + e.getMessage();
    };
  }

  private static String olderVersion() {
    return "The journal in this database is of another version than "
        + Journal.VERSION
        + ", which this program reads; 'shelf feed upgrade' or Journal.on(dataSource).upgrade()"
        + " brings it to that.";
  }

  /** Whether there is a connection to look over. */
  public boolean isConnected() {
    return connection != null;
  }

  /** Opens a connection. The place stays what it was, as far as this is the same server. */
  public void connect() throws SQLException {
    Connection fresh = dataSource.getConnection();
    try {
      fresh.setAutoCommit(true);
      fresh.setNetworkTimeout(Runnable::run, NETWORK_TIMEOUT_MILLIS);
      execute(fresh, "SET plan_cache_mode = force_generic_plan"); // planning costs more than a look
      Server found = serverOf(fresh);
      Server before = server;
      if (before != null && !before.identifier().equals(found.identifier())) {
        lostBecause = "this is another server";
      } else if (before != null && !before.started().equals(found.started())) {
        lostBecause =
            "the server was started anew, and may have lost commits that were not on disk yet";
      }
      server = found;
      look = fresh.prepareStatement(LOOK);
      connection = fresh;
    } catch (SQLException | RuntimeException e) {
      connection = null;
      fresh.close();
      throw e;
    }
  }

  /** The connection, for questions beside the looks. */
  Connection connection() {
    return Objects.requireNonNull(connection, "connected");
  }

  /**
   * What has ended since the last look. The batch's mark is the moment before this look was sent: a
   * commit that had returned by then is in it.
   *
   * @throws SQLException if the database did not answer; the place stays what it was
   */
  public Batch look() throws SQLException {
    Watermark mark = Watermark.now(time);
    Place before = Objects.requireNonNull(place, "open() found a place");
    PreparedStatement statement = Objects.requireNonNull(look, "connected");
    statement.setString(1, before.snapshot());
    Place now = null;
    String upheaval = lostBecause;
    List<Change> changes = new ArrayList<>();
    try (ResultSet rows = statement.executeQuery()) {
      while (rows.next()) {
        if (now == null) {
          now = new Place(rows.getString(1), rows.getString(2), rows.getString(3));
          upheaval =
              upheaval == null
                  ? lossBetween(before, now, rows.getBoolean(4), rows.getBoolean(5))
                  : upheaval;
        }
        if (rows.getString(6) != null) {
          changes.add(change(rows));
        }
      }
    }
    if (now == null) {
      throw new SQLException("The journal's installation has no name; it was removed or emptied.");
    }
    if (upheaval != null) {
      upheaval = "The feed has lost its place, since " + upheaval;
    } else if (changes.stream().anyMatch(change -> change.table().equals(SCHEMA))) {
      upheaval = "The schema has changed";
    }
    place = now;
    lostBecause = null;
    return new Batch(mark, changes, upheaval);
  }

  private static @Nullable String lossBetween(
      Place before, Place now, boolean trimmed, boolean behind) {
    if (!now.installation().equals(before.installation())) {
      return "the journal was installed anew";
    } else if (!now.timeline().equals(before.timeline())) {
      return "the server is on another timeline, after a failover or a restore";
    } else if (behind) {
      return "the server knows fewer transactions than before, after a restore";
    }
    return trimmed ? "the journal was trimmed meanwhile" : null;
  }

  private static Change change(ResultSet row) throws SQLException {
    Array told = row.getArray(9);
    return new Change(
        row.getString(6),
        Lane.named(row.getString(7)),
        told == null ? null : List.of((String[]) told.getArray()),
        row.getString(8),
        Duration.ofNanos(TimeUnit.MICROSECONDS.toNanos(Math.max(0, row.getLong(10)))));
  }

  private void findPlace() throws SQLException, FeedException {
    try (PreparedStatement statement = connection().prepareStatement(FIND_PLACE);
        ResultSet row = statement.executeQuery()) {
      if (!row.next()) {
        throw new SQLException("The journal's installation has no name; install it again.");
      }
      if (row.getInt(4) != Journal.VERSION) {
        disconnect();
        throw new FeedException(olderVersion());
      }
      place = new Place(row.getString(1), row.getString(2), row.getString(3));
    }
  }

  /** Gives the connection back. */
  public void disconnect() {
    Connection open = connection;
    connection = null;
    look = null;
    if (open != null) {
      try (open) {
        execute(
            open,
            "RESET plan_cache_mode; UNLISTEN warm_shelf"); // a pool may hand the connection to
        // somebody else
      } catch (SQLException e) {
        LOG.debug("closing the journal's connection failed", e);
      }
    }
  }

  @Override
  public void close() {
    disconnect();
  }

  private static Server serverOf(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement();
        ResultSet row = statement.executeQuery(SERVER)) {
      row.next();
      return new Server(row.getString(1), row.getString(2));
    }
  }

  private static void execute(Connection on, String sql) throws SQLException {
    try (Statement statement = on.createStatement()) {
      statement.execute(sql);
    }
  }
}
