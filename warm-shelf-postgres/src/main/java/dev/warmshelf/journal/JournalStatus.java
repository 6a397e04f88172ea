package dev.warmshelf.journal;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * How an installation of the journal stands.
 *
 * @param owner the role that owns the journal and runs its triggers; empty if there is none
 * @param tables the followed tables, each with its tracked columns and how the journal has their
 *     values
 * @param watchesSchema whether changes of the schema are noted like others
 * @param size of the journal
 * @param retention how long rows are kept
 * @param isRead whether somebody follows; if not, nothing is noted
 * @param problems what is wrong, in words that say what to do; empty if all is well
 */
public record JournalStatus(
    String owner,
    Map<Lane, Map<String, ColumnKind>> tables,
    boolean watchesSchema,
    Size size,
    Duration retention,
    boolean isRead,
    List<String> problems) {
  /**
   * How big the journal is.
   *
   * @param rows about how many there are
   * @param bytes that they take, with their index
   */
  public record Size(long rows, long bytes) {}

  private static final String ASK =
      """
      SELECT i.version, extract(epoch FROM i.retention)::bigint,
             (SELECT count(*) = 3 FROM pg_event_trigger
              WHERE evtname LIKE 'warm\\_shelf\\_%%' AND evtenabled = 'A'),
             (SELECT count(*) FROM (SELECT FROM warm_shelf.journal LIMIT 1000000) j),
             pg_total_relation_size('warm_shelf.journal'),
             (SELECT extract(epoch FROM clock_timestamp() - min(at))::bigint
              FROM warm_shelf.journal),
             %s >= extract(epoch FROM clock_timestamp())
      FROM warm_shelf.installation i
      """
          .formatted(Journal.READ_UNTIL);

  /** Whether there is one. */
  public boolean installed() {
    return !owner.isEmpty();
  }

  /** Whether it is owned by a role that nobody can be, as where a superuser installs. */
  public boolean isOwnedByItself() {
    return owner.equals(Journal.OWNER);
  }

  /** A transaction is no trouble as long as it is not open for longer than this. */
  private static final Duration USUAL = Duration.ofMinutes(1);

  /** Who has held the journal back for so long: rows of what has not ended are kept. */
  private static final String HOLDERS =
      """
      SELECT 'the transaction of process ' || pid || coalesce(nullif(' (' || application_name || ')',
             ' ()'), ''), extract(epoch FROM clock_timestamp() - xact_start)::bigint AS seconds
      FROM pg_stat_activity
      WHERE backend_xid IS NOT NULL AND datname = current_database()
        AND xact_start < clock_timestamp() - make_interval(secs => ?)
      UNION ALL
      SELECT 'the prepared transaction ' || quote_literal(gid),
             extract(epoch FROM clock_timestamp() - prepared)::bigint
      FROM pg_prepared_xacts
      WHERE database = current_database()
        AND prepared < clock_timestamp() - make_interval(secs => ?)
      ORDER BY seconds DESC
      LIMIT 3
      """;

  static JournalStatus of(Connection connection, List<FollowedTable> followed, List<String> readers)
      throws SQLException {
    JournalStatus status = of(connection, followed, USUAL);
    if (!status.installed() || readers.isEmpty()) {
      return status;
    }
    List<String> problems = new ArrayList<>(status.problems);
    for (String role : readers) {
      List<String> missing = ReaderRights.missing(connection, role);
      if (!missing.isEmpty()) {
        problems.add(
            "role " + role + " may not follow the journal; run " + String.join(" ", missing));
      }
    }
    return status.with(problems);
  }

  private JournalStatus with(List<String> all) {
    return new JournalStatus(owner, tables, watchesSchema, size, retention, isRead, all);
  }

  /**
   * @param usual how long a transaction may be open without being named
   */
  static JournalStatus of(Connection connection, List<FollowedTable> followed, Duration usual)
      throws SQLException {
    String owner = ownerOf(connection);
    if (owner.isEmpty() || !isThere(connection, "warm_shelf.installation", "name")) {
      return unusable(
          "", "the journal is not installed in this database; 'shelf feed install' puts it there");
    }
    if (!isThere(connection, "warm_shelf.installation", "awake_since")) {
      return unusable(
          owner,
          "the journal is of an older version; 'shelf feed upgrade' brings it to version "
              + Journal.VERSION);
    }
    Coverage coverage = Coverage.ask(connection);
    Map<Lane, Map<String, ColumnKind>> tables = new LinkedHashMap<>();
    coverage.tables().forEach((lane, table) -> tables.put(lane, table.columns()));
    List<String> problems = problemsOf(connection, coverage, followed);
    try (Statement statement = connection.createStatement();
        ResultSet row = statement.executeQuery(ASK)) {
      if (!row.next()) {
        problems.add("the installation has no name; readers cannot find their place");
        return new JournalStatus(
            owner, tables, false, new Size(0, 0), Duration.ZERO, false, problems);
      }
      if (row.getInt(1) != Journal.VERSION) {
        problems.add(otherVersion(row.getInt(1)));
      }
      Duration retention = Duration.ofSeconds(row.getLong(2));
      boolean awake = row.getBoolean(7);
      addHolders(connection, usual, problems);
      if (awake && row.getLong(6) > 2 * retention.toSeconds() + 600) {
        problems.add(
            "rows are kept for longer than twice the retention: nobody who may trims them, or a"
                + " transaction has been open all the while");
      }
      Size size = new Size(row.getLong(4), row.getLong(5));
      return new JournalStatus(owner, tables, row.getBoolean(3), size, retention, awake, problems);
    }
  }

  private static String otherVersion(int version) {
    return "it is of version "
        + version
        + ", not "
        + Journal.VERSION
        + (version < Journal.VERSION
            ? "; 'shelf feed upgrade' brings it there, or goes on where that was cut off"
            : "; use a program of that version");
  }

  private static String ownerOf(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement();
        ResultSet row =
            statement.executeQuery(
                "SELECT pg_get_userbyid(nspowner) FROM pg_namespace WHERE nspname = 'warm_shelf'")) {
      return row.next() ? row.getString(1) : "";
    }
  }

  private static List<String> problemsOf(
      Connection connection, Coverage coverage, List<FollowedTable> followed) throws SQLException {
    List<String> problems = new ArrayList<>();
    boolean hidden = Journal.hasDigests(connection);
    for (FollowedTable table : followed) {
      Lane lane = laneOf(connection, table);
      if (!coverage.covers(lane)) {
        problems.add(
            lane
                + ": not every change is noted; a trigger is missing, disabled or made for another"
                + " name on it or on a partition of it, or a subscription writes to it");
      } else if (!coverage.columns(lane).keySet().containsAll(table.columns())) {
        problems.add(lane + ": a tracked column is gone or has changed its type");
      } else if (hidden && !hides(coverage.columns(lane))) {
        problems.add(lane + ": its values stand in the journal, which is to have digests");
      }
    }
    return problems;
  }

  /** Whether digests stand in the place of all values of these columns. */
  public static boolean hides(Map<String, ColumnKind> columns) {
    return columns.values().stream().allMatch(kind -> kind.digest() != null);
  }

  /** One of which nothing more can be said than what is wrong. */
  private static JournalStatus unusable(String owner, String problem) {
    return new JournalStatus(
        owner, Map.of(), false, new Size(0, 0), Duration.ZERO, false, List.of(problem));
  }

  private static void addHolders(Connection connection, Duration usual, List<String> problems)
      throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(HOLDERS)) {
      statement.setDouble(1, usual.toMillis() / 1_000.0);
      statement.setDouble(2, usual.toMillis() / 1_000.0);
      try (ResultSet rows = statement.executeQuery()) {
        while (rows.next()) {
          problems.add(
              rows.getString(1)
                  + " has written and been open for "
                  + rows.getLong(2)
                  + " s; what it has changed is told when it ends, and the journal cannot be"
                  + " trimmed past it");
        }
      }
    }
  }

  private static boolean isThere(Connection connection, String table, String column)
      throws SQLException {
    try (PreparedStatement statement =
        connection.prepareStatement(
            "SELECT count(*) = 1 FROM pg_attribute WHERE attrelid = to_regclass(?)"
                + " AND attname = ?")) {
      statement.setString(1, table);
      statement.setString(2, column);
      try (ResultSet row = statement.executeQuery()) {
        row.next();
        return row.getBoolean(1);
      }
    }
  }

  private static Lane laneOf(Connection connection, FollowedTable table) throws SQLException {
    try (PreparedStatement statement =
        connection.prepareStatement(
            "SELECT s.nspname, c.relname FROM pg_class c JOIN pg_namespace s"
                + " ON s.oid = c.relnamespace WHERE c.oid = to_regclass(?)")) {
      statement.setString(1, table.table());
      try (ResultSet row = statement.executeQuery()) {
        row.next();
        return Lane.ofTable(row.getString(1), row.getString(2));
      }
    }
  }
}
