package dev.warmshelf.journal;

import dev.warmshelf.caller.Borrowed;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.postgres.analysis.SessionQuestion;
import dev.warmshelf.postgres.analysis.SqlText;
import dev.warmshelf.postgres.driver.SqlState;
import dev.warmshelf.spi.feed.Batch;
import dev.warmshelf.spi.feed.Clearing;
import dev.warmshelf.spi.feed.FeedException;
import dev.warmshelf.time.TimeSource;
import dev.warmshelf.time.Watermark;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/**
 * Reads the journal from a place in it, look by look.
 *
 * <p><b>Why no change is lost.</b> Transactions commit in another order than they write the
 * journal, so "rows after the last one seen" would pass over a row of a transaction that was still
 * open when a later one was read. Instead the place is a <em>snapshot</em>: the set of transactions
 * that had ended at the last look. Each look is one statement, and so sees one snapshot; it fetches
 * that snapshot together with the rows of all transactions that had not ended in the last one:
 * those that were open then, and those that have begun since. Two looks in a row therefore leave no
 * gap between them, however long a transaction stays open. A look moves the place only when its
 * changes have been delivered ({@link #taken}).
 *
 * <p><b>When the place is lost.</b> When the journal was installed anew, or rows that the place
 * still needed were trimmed; when no reader has said for longer than the retention that it is
 * there, so that writers have ceased to note; when this is another server, another timeline (after
 * a failover or a restore to an earlier moment), or one whose transactions are behind the place (a
 * copy put back); and when the server was started anew, since it may have lost commits that
 * somebody had it not wait for ({@code synchronous_commit}) and that had been told already.
 *
 * <p><b>When there is too much.</b> A look reads a bounded number of rows. Where more have come
 * since the last one, as after a long absence or one transaction of very many statements,
 * everything counts as changed, and the place moves past all of them: else no look might ever end
 * in time.
 *
 * <p><b>When it is not complete.</b> Transactions that were open when the first reader came may
 * have found nobody there, and noted nothing. Until they have ended a look's batch has no mark;
 * then everything counts as changed, once.
 *
 * <p>Keeps one connection for itself between {@link #connect} and {@link #disconnect}; the place
 * outlives them. Not thread-safe.
 */
final class JournalReader implements AutoCloseable {
  private static final int NETWORK_TIMEOUT_MILLIS = 5_000;

  /** What is asked beside the looks must not keep them waiting for longer. */
  private static final int ASIDE_MILLIS = 4_000;

  /** Still less must a lock, which somebody may hold for long. */
  private static final int ASIDE_LOCK_MILLIS = 500;

  /** More rows than this are not told one by one: everything counts as changed then. */
  static final int MOST_ROWS = 20_000;

  /** In place of a lane. */
  private static final String CLEARING = "!";

  private static final String ROWS =
      """
      SELECT xid::text AS xid, left(lane, 1000) AS lane, left(kind, 100) AS kind,
             left(shape, 1000) AS shape, rows_before, rows_after, alike,
             (extract(epoch FROM clock_timestamp() - at) * 1000000)::bigint AS age
      FROM warm_shelf.journal
      """;

  /** One statement, one snapshot: the new place, and what has ended since the old one. */
  static final String LOOK =
      """
      SELECT pg_current_snapshot()::text, i.name::text,
             left(pg_walfile_name(pg_current_wal_lsn()), 8),
             i.trimmed_through >= pg_snapshot_xmin(p.place),
             pg_snapshot_xmax(pg_current_snapshot()) < pg_snapshot_xmax(p.place),
             pg_snapshot_xmin(pg_current_snapshot()) >= i.awake_since,
             extract(epoch FROM clock_timestamp())::float8, i.awake_since::text,
             j.xid, j.lane, j.kind, j.shape, j.rows_before, j.rows_after, j.alike, j.age
      FROM warm_shelf.installation i
           CROSS JOIN (VALUES (?::pg_snapshot)) p(place)
           LEFT JOIN (
             (%1$s WHERE xid >= pg_snapshot_xmax(?::pg_snapshot) LIMIT %2$d)
             UNION ALL
             (%1$s WHERE xid = ANY (ARRAY(SELECT pg_snapshot_xip(?::pg_snapshot))) LIMIT %2$d)
           ) j ON true
      """
          .formatted(ROWS, JournalReader.MOST_ROWS + 1);

  private static final int PLACES_IN_LOOK = 3;

  private static final String FIND_PLACE =
      """
      SELECT pg_current_snapshot()::text, i.name::text,
             left(pg_walfile_name(pg_current_wal_lsn()), 8), i.awake_since::text, i.version
      FROM warm_shelf.installation i
      """;

  /** Which server this is, and since when it runs; the checkpointer starts anew after a crash. */
  private static final String SERVER =
      """
      SELECT c.system_identifier::text,
             concat_ws(' ', pg_postmaster_start_time(),
                       (SELECT backend_start FROM pg_stat_activity
                        WHERE backend_type = 'checkpointer')),
             to_regnamespace('warm_shelf') IS NOT NULL
      FROM pg_control_system() c
      """;

  /** {@code invalid_schema_name} (Appendix A of the manual). */
  private static final String HERE = "SELECT until, seconds FROM warm_shelf.reader_is_here()";

  /** A role's transactions may be read only unless they say otherwise. */
  private static final String BEGIN = "BEGIN ISOLATION LEVEL READ COMMITTED READ WRITE";

  private final DataSource dataSource;
  private final TimeSource time;
  private @Nullable Borrowed borrowed;
  private @Nullable PreparedStatement look;
  private @Nullable Place place;
  private @Nullable Place next;
  private @Nullable Server server;
  private @Nullable String lostBecause;
  private boolean incomplete;
  private Presence presence = new Presence(0, 0);
  private NotedRow.Shapes shapes = (table, print) -> null;

  private record Server(String identifier, String started) {}

  /**
   * @param awake since which transaction writers note what they do
   */
  private record Place(String snapshot, String installation, String timeline, String awake) {}

  /**
   * Until when writers know that this reader is there, by the server's clock.
   *
   * @param until in seconds since the epoch
   * @param seconds how long it holds from when it was said
   */
  private record Presence(long until, long seconds) {
    boolean isOver(double now) {
      return now > until;
    }

    /** Said again long before it is over. */
    boolean isDue(double now) {
      return until - now < seconds * 0.75;
    }
  }

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
    return open(dataSource, time, null);
  }

  /**
   * Connects, and begins at an earlier place. If that is lost, the first look says so.
   *
   * @param from null for today's end
   * @throws FeedException if the database cannot be reached or the journal is not installed there
   */
  static JournalReader open(DataSource dataSource, TimeSource time, @Nullable WrittenPlace from)
      throws FeedException {
    JournalReader reader = new JournalReader(dataSource, time);
    try {
      if (from != null) {
        reader.server = new Server(from.server(), from.started());
      }
      reader.connect();
      reader.findPlace();
      if (from != null) {
        reader.place =
            new Place(from.snapshot(), from.installation(), from.timeline(), from.awake());
      }
      return reader;
    } catch (SQLException e) {
      reader.giveUp();
      throw new FeedException(whyNot(e), e);
    } catch (FeedException e) {
      reader.disconnect();
      throw e;
    }
  }

  private static String whyNot(SQLException e) {
    return switch (SqlState.of(e)) {
      case UNDEFINED_TABLE, INVALID_SCHEMA_NAME ->
          "The journal is not installed in this database; 'shelf feed install' or"
              + " Journal.on(dataSource).install(...) does it.";
      case UNDEFINED_COLUMN, UNDEFINED_FUNCTION -> olderVersion();
      case INSUFFICIENT_PRIVILEGE ->
          "This role may not follow the journal: "
              + String.valueOf(e.getMessage()).lines().findFirst().orElse("")
              + ". It needs "
              + ReaderRights.inWords()
              + "; 'shelf feed install --reader ROLE' grants them.";
      default -> "The journal cannot be read: " + e.getMessage();
    };
  }

  private static String olderVersion() {
    return "The journal in this database is of another version than "
        + Journal.VERSION
        + ", which this program reads; 'shelf feed upgrade' or Journal.on(dataSource).upgrade()"
        + " brings it to that.";
  }

  /**
   * The place that was taken last.
   *
   * @param triggers what they are like
   */
  WrittenPlace written(String triggers) {
    Place taken = Objects.requireNonNull(place, "open() found a place");
    Server on = Objects.requireNonNull(server, "connected");
    return new WrittenPlace(
        taken.snapshot(),
        taken.installation(),
        taken.timeline(),
        taken.awake(),
        on.identifier(),
        on.started(),
        triggers);
  }

  /** Whether there is a connection to look over. */
  public boolean isConnected() {
    return borrowed != null;
  }

  /**
   * Opens a connection, and says that a reader is there. The place stays what it was, as far as
   * this is the same server.
   *
   * @throws SQLException if the database could not be asked
   */
  public void connect() throws SQLException {
    Borrowed fresh = Borrowed.from(dataSource);
    boolean done = false;
    try {
      fresh.autoCommit(true).networkTimeout(NETWORK_TIMEOUT_MILLIS);
      fresh
          .setting("search_path", SqlText.SYSTEM_PATH)
          .setting("statement_timeout", Integer.toString(NETWORK_TIMEOUT_MILLIS))
          .setting("plan_cache_mode", "force_generic_plan") // planning costs more than a look
          .setting("enable_seqscan", "off") // a generic plan knows not how few rows are new
          .setting("jit", "off"); // what it saves of a look is nothing to what compiling takes
      SessionQuestion.ask(fresh.connection()).requirePrimary();
      Server found = serverOf(fresh.connection());
      Server before = server;
      if (before != null && !before.identifier().equals(found.identifier())) {
        lostBecause = "this is another server";
      } else if (before != null && !before.started().equals(found.started())) {
        lostBecause =
            "the server was started anew, and may have lost commits that were not on disk yet";
      }
      server = found;
      borrowed = fresh;
      sayHere();
      look = fresh.connection().prepareStatement(LOOK);
      done = true;
    } finally {
      if (!done) {
        borrowed = null;
        giveBack(fresh);
      }
    }
  }

  /** A pool tells of each connection that is ended; what can go on is given back. */
  private static void giveBack(Borrowed failed) {
    try {
      execute(failed.connection(), "ROLLBACK");
    } catch (SQLException e) {
      failed.spoil();
    }
    failed.close();
  }

  /** Says that a reader is there, so that writers note what they do. */
  private void sayHere() throws SQLException {
    try (Statement statement = connection().createStatement()) {
      statement.execute(BEGIN + ";" + HERE + ";COMMIT");
      statement.getMoreResults();
      try (ResultSet row = statement.getResultSet()) {
        row.next();
        presence = new Presence(row.getLong(1), row.getLong(2));
      }
    }
  }

  /** Reads what changed rows were like from now on as triggers made like this write it. */
  void reading(NotedRow.Shapes known) {
    shapes = known;
  }

  /** The connection, for questions beside the looks. */
  Connection connection() {
    return Objects.requireNonNull(borrowed, "connected").connection();
  }

  /** Something to be asked over the reader's connection, beside the looks. */
  interface Aside<T> {
    T ask(Connection connection) throws SQLException;
  }

  /** Asks beside the looks: not for long, in a transaction of its own that may write. */
  <T> T aside(Aside<T> question) throws SQLException {
    Connection connection = connection();
    execute(
        connection,
        BEGIN
            + ";SET LOCAL enable_seqscan = on;SET LOCAL statement_timeout = "
            + ASIDE_MILLIS
            + ";SET LOCAL lock_timeout = "
            + ASIDE_LOCK_MILLIS);
    T answer = question.ask(connection);
    execute(connection, "COMMIT");
    return answer;
  }

  /** Ends what a question beside the looks has left open when it failed. */
  void rollBack() throws SQLException {
    execute(connection(), "ROLLBACK");
  }

  /**
   * What has ended since the place. The batch's mark is the moment before this look was sent: a
   * commit that had returned by then is in it.
   *
   * @throws SQLException if the database did not answer
   */
  public Batch look() throws SQLException {
    Watermark mark = Watermark.now(time);
    Place before = Objects.requireNonNull(place, "open() found a place");
    PreparedStatement statement = Objects.requireNonNull(look, "connected");
    for (int i = 1; i <= PLACES_IN_LOOK; i++) {
      statement.setString(i, before.snapshot());
    }
    try (ResultSet rows = statement.executeQuery()) {
      return batch(rows, before, mark);
    }
  }

  private Batch batch(ResultSet rows, Place before, Watermark mark) throws SQLException {
    if (!rows.next()) {
      throw new SQLException("The journal's installation has no name; it was removed or emptied.");
    }
    Place now =
        new Place(rows.getString(1), rows.getString(2), rows.getString(3), rows.getString(8));
    boolean complete = rows.getBoolean(6);
    double clock = rows.getDouble(7);
    noteLoss(before, now, rows.getBoolean(4), rows.getBoolean(5));
    List<Change> changes = new ArrayList<>();
    List<Clearing> clearings = new ArrayList<>();
    String reset = rows.getString(9) == null ? null : add(rows, changes, clearings, null);
    while (rows.next()) {
      reset = add(rows, changes, clearings, reset);
    }
    if (changes.size() > MOST_ROWS) {
      reset = "More than " + MOST_ROWS + " changes have come at once";
    }
    complete &= isNoted(complete, clock);
    next = now;
    if (lostBecause != null) {
      reset = "The feed has lost its place, since " + lostBecause;
    }
    Batch batch = complete ? Batch.upTo(mark, changes) : Batch.unfinished(changes);
    batch = batch.withClearings(clearings);
    return reset == null ? batch : batch.withReset(reset);
  }

  /** Whether writers are certain to note what they do; says anew that a reader is there. */
  private boolean isNoted(boolean complete, double clock) throws SQLException {
    boolean noted = complete && !presence.isOver(clock); // else the next look's place tells
    if (presence.isDue(clock)) {
      sayHere();
    }
    if (noted && incomplete) {
      lostBecause = "writers may not have noted what they did before somebody followed";
    }
    incomplete = !noted;
    return noted;
  }

  /** The last look's batch has been delivered: the next look begins where that one ended. */
  public void taken() {
    place = Objects.requireNonNull(next, "looked");
    lostBecause = null;
  }

  private @Nullable String add(
      ResultSet row, List<Change> changes, List<Clearing> clearings, @Nullable String reset)
      throws SQLException {
    Lane lane;
    try {
      if (CLEARING.equals(row.getString(10))) {
        clearings.add(NotedRow.clearing(row, 9));
        return reset;
      }
      lane = Lane.read(row.getString(10));
    } catch (IllegalArgumentException e) {
      return "A row of the journal was written by another version";
    }
    changes.add(NotedRow.read(row, 9, lane, shapes));
    return reset;
  }

  private void noteLoss(Place before, Place now, boolean trimmed, boolean behind) {
    String loss = lossBetween(before, now, trimmed, behind);
    lostBecause = lostBecause == null ? loss : lostBecause;
  }

  private static @Nullable String lossBetween(
      Place before, Place now, boolean trimmed, boolean behind) {
    if (!now.installation().equals(before.installation())) {
      return "the journal was installed anew";
    } else if (!now.timeline().equals(before.timeline())) {
      return "the server is on another timeline, after a failover or a restore";
    } else if (!now.awake().equals(before.awake())) {
      return "nobody followed for longer than the journal's retention, and nothing was noted";
    } else if (behind) {
      return "the server knows fewer transactions than before, after a restore";
    }
    return trimmed ? "the journal was trimmed meanwhile" : null;
  }

  private void findPlace() throws SQLException, FeedException {
    try (PreparedStatement statement = connection().prepareStatement(FIND_PLACE);
        ResultSet row = statement.executeQuery()) {
      if (!row.next()) {
        throw new SQLException("The journal's installation has no name; install it again.");
      }
      if (row.getInt(5) != Journal.VERSION) {
        throw new FeedException(olderVersion());
      }
      place = new Place(row.getString(1), row.getString(2), row.getString(3), row.getString(4));
    }
  }

  /** Gives the connection back as it came. */
  public void disconnect() {
    Borrowed open = borrowed;
    borrowed = null;
    look = null;
    if (open != null) {
      open.close();
    }
  }

  /** Ends the connection: something has failed on it. */
  public void giveUp() {
    if (borrowed != null) {
      borrowed.spoil();
    }
    disconnect();
  }

  /** Has a statement run before the connection is given back. */
  void finallyRun(String sql) {
    Objects.requireNonNull(borrowed, "connected").finallyRun(sql);
  }

  @Override
  public void close() {
    disconnect();
  }

  private static Server serverOf(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement();
        ResultSet row = statement.executeQuery(SERVER)) {
      row.next();
      if (!row.getBoolean(3)) { // found out so that the server's log has no error at each attempt
        throw new SQLException(
            "There is no schema 'warm_shelf'.", SqlState.INVALID_SCHEMA_NAME.code());
      }
      return new Server(row.getString(1), row.getString(2));
    }
  }

  private static void execute(Connection on, String sql) throws SQLException {
    try (Statement statement = on.createStatement()) {
      statement.execute(sql);
    }
  }
}
