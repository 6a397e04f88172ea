package dev.warmshelf.journal;

import dev.warmshelf.lane.Lane;
import dev.warmshelf.postgres.SqlText;
import dev.warmshelf.session.Borrowed;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Set;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/**
 * The journal in a database: puts it there, says what it covers, takes it away. All of it lives in
 * the schema {@code warm_shelf}, but for the triggers on followed tables.
 *
 * <p>Thread-safe. Needs a role that owns the tables and may create schemas.
 */
public final class Journal {
  /** Of what stands in the database. */
  static final int VERSION = 6;

  /** SQL for the second, since the epoch, until which somebody follows; 0 if nobody ever did. */
  static final String READ_UNTIL =
      "coalesce(pg_catalog.pg_sequence_last_value("
          + "'warm_shelf.read_until'::pg_catalog.regclass), 0)";

  /** A table with all its partitions or inheritance children, itself first. */
  private static final String MEMBERS =
      """
      WITH RECURSIVE member(oid, depth) AS (
        SELECT to_regclass(?)::oid, 0
        UNION ALL
        SELECT i.inhrelid, m.depth + 1 FROM member m JOIN pg_inherits i ON i.inhparent = m.oid
      )
      SELECT s.nspname, c.relname, c.relkind,
             EXISTS (SELECT FROM pg_inherits i WHERE i.inhrelid = c.oid), c.relpersistence
      FROM member m JOIN pg_class c ON c.oid = m.oid JOIN pg_namespace s ON s.oid = c.relnamespace
      ORDER BY m.depth, s.nspname, c.relname
      """;

  private static final String TRIGGERS =
      """
      SELECT g.tgname, s.nspname, c.relname
      FROM pg_trigger g JOIN pg_class c ON c.oid = g.tgrelid
           JOIN pg_namespace s ON s.oid = c.relnamespace
           JOIN pg_proc p ON p.oid = g.tgfoid
           JOIN pg_namespace w ON w.oid = p.pronamespace AND w.nspname = 'warm_shelf'
      ORDER BY s.nspname, c.relname, g.tgname
      """;

  /** Each followed table and what its trigger was made with, whether or not all is well with it. */
  private static final String FOLLOWED =
      """
      SELECT DISTINCT ON (c.oid) format('%I.%I', s.nspname, c.relname), g.tgargs,
             p.prosrc LIKE '%pg_notify(%'
      FROM pg_trigger g JOIN pg_class c ON c.oid = g.tgrelid
           JOIN pg_namespace s ON s.oid = c.relnamespace
           JOIN pg_proc p ON p.oid = g.tgfoid
           JOIN pg_namespace w ON w.oid = p.pronamespace AND w.nspname = 'warm_shelf'
      WHERE NOT EXISTS (SELECT FROM pg_inherits i WHERE i.inhrelid = c.oid)
      ORDER BY c.oid, g.oid
      """;

  private static final String LOCK_TIMEOUT = "5s";
  private static final String LOCK_NOT_AVAILABLE = "55P03";
  private static final String INSUFFICIENT_PRIVILEGE = "42501";

  private final DataSource dataSource;
  private final @Nullable Duration retention;
  private final boolean notifies;
  private final List<String> readers;

  private Journal(
      DataSource dataSource, @Nullable Duration retention, boolean notifies, List<String> readers) {
    this.dataSource = dataSource;
    this.retention = retention;
    this.notifies = notifies;
    this.readers = readers;
  }

  /**
   * The journal of this data source's database.
   *
   * @param dataSource as a role that owns the tables and may create schemas
   */
  public static Journal on(DataSource dataSource) {
    return new Journal(dataSource, null, false, List.of());
  }

  /**
   * The same, to install with another retention than an hour: rows of the journal are kept for so
   * long after their transaction ended, and written for so long after somebody has last followed. A
   * reader that was away for longer knows, and starts anew.
   *
   * @param age a minute or more
   * @throws IllegalArgumentException if it is less than a minute
   */
  public Journal keeping(Duration age) {
    if (age.compareTo(Duration.ofMinutes(1)) < 0) {
      throw new IllegalArgumentException(
          "The journal must be kept for a minute or more, but was to be kept for " + age + ".");
    }
    return new Journal(dataSource, age, notifies, readers);
  }

  /**
   * The same, to install with triggers that wake readers by {@code NOTIFY}. Not by default:
   * transactions that notify commit one after the other, and one that has notified cannot be
   * prepared for a two-phase commit ({@code PREPARE TRANSACTION} fails).
   */
  public Journal wakingReaders() {
    return new Journal(dataSource, retention, true, readers);
  }

  /**
   * The same, to install with the rights that these roles need to follow, and to check whether they
   * have them.
   *
   * @param roles as the catalogue spells them
   */
  public Journal readBy(Collection<String> roles) {
    return new Journal(dataSource, retention, notifies, List.copyOf(roles));
  }

  /**
   * The SQL that {@link #install} runs, for a person to read or to run.
   *
   * @param tables as {@link FollowedTable} writes them: {@code port}, {@code
   *     booking:sailing_id,agent_id}
   * @throws IllegalArgumentException if one of them is not written so
   * @throws SQLException if one of them is not a table, is a partition of another, or lacks a
   *     column that changes can be told apart by
   */
  public String script(Collection<String> tables) throws SQLException {
    return scriptOf(
        tables.stream().map(table -> new Installed(FollowedTable.parse(table), notifies)).toList());
  }

  /**
   * A table with its triggers.
   *
   * @param notifies whether they wake readers
   */
  private record Installed(FollowedTable table, boolean notifies) {}

  private String scriptOf(Collection<Installed> tables) throws SQLException {
    StringBuilder script = new StringBuilder();
    script.append("SET LOCAL lock_timeout = '").append(LOCK_TIMEOUT).append("';\n");
    script.append(resource("install.sql"));
    script.append("UPDATE warm_shelf.installation SET version = ").append(VERSION);
    if (retention != null) {
      script.append(", retention = make_interval(secs => ").append(retention.toSeconds());
      script.append(')');
    }
    script.append(";\n");
    try (Connection connection = dataSource.getConnection()) {
      for (Installed table : tables) {
        script.append('\n').append(triggers(connection, table));
      }
    }
    for (String role : readers) {
      script.append('\n');
      ReaderRights.grants(role).forEach(grant -> script.append(grant).append('\n'));
    }
    return script.toString();
  }

  /**
   * Follows these tables, beside those followed already. In one transaction; repeatable; a table
   * that is followed already gets the columns named now. Waits for writers of the tables, and makes
   * new ones wait, for at most five seconds a table.
   *
   * @throws SQLException if the database could not be asked, or refused; nothing was changed then
   */
  public void install(Collection<String> tables) throws SQLException {
    run(script(tables));
  }

  /**
   * Installs anew, in today's version, what is followed already; mends what has been damaged.
   * Triggers that wake readers still do.
   *
   * @throws SQLException if the database could not be asked, or refused; nothing was changed then
   */
  public void upgrade() throws SQLException {
    run(
        scriptOf(
            installed().stream()
                .map(each -> new Installed(each.table(), each.notifies() || notifies))
                .toList()));
  }

  /**
   * What has been installed, whether or not all is well with it.
   *
   * @throws SQLException if the database could not be asked, or refused; nothing was changed then
   */
  public List<FollowedTable> followed() throws SQLException {
    return installed().stream().map(Installed::table).toList();
  }

  private List<Installed> installed() throws SQLException {
    List<Installed> tables = new ArrayList<>();
    try (Connection connection = dataSource.getConnection();
        Statement statement = connection.createStatement();
        ResultSet rows = statement.executeQuery(FOLLOWED)) {
      while (rows.next()) {
        TriggerArguments made = TriggerArguments.parse(rows.getBytes(2));
        tables.add(
            new Installed(
                new FollowedTable(rows.getString(1), List.copyOf(made.tracked().keySet())),
                rows.getBoolean(3)));
      }
    }
    return tables;
  }

  /**
   * Takes away the triggers, the schema and all that is in it. Repeatable.
   *
   * @throws SQLException if the database could not be asked, or refused; nothing was changed then
   */
  public void remove() throws SQLException {
    run(removal());
  }

  /**
   * The SQL that {@link #remove} runs.
   *
   * @throws SQLException if the database could not be asked, or refused; nothing was changed then
   */
  public String removal() throws SQLException {
    StringBuilder script = new StringBuilder();
    script.append("SET LOCAL lock_timeout = '").append(LOCK_TIMEOUT).append("';\n");
    script.append("DROP EVENT TRIGGER IF EXISTS warm_shelf_begin;\n");
    script.append("DROP EVENT TRIGGER IF EXISTS warm_shelf_schema;\n");
    script.append("DROP EVENT TRIGGER IF EXISTS warm_shelf_drop;\n");
    try (Connection connection = dataSource.getConnection();
        Statement statement = connection.createStatement();
        ResultSet rows = statement.executeQuery(TRIGGERS)) {
      while (rows.next()) {
        script.append(
            "DROP TRIGGER IF EXISTS %s ON %s;%n"
                .formatted(
                    SqlText.identifier(rows.getString(1)),
                    SqlText.identifier(rows.getString(2), rows.getString(3))));
      }
    }
    return script.append("DROP SCHEMA IF EXISTS warm_shelf CASCADE;").toString();
  }

  /**
   * The tables whose every change is noted, on themselves and on each partition or child.
   *
   * @throws SQLException if the database could not be asked, or refused; nothing was changed then
   */
  public Set<Lane> covered() throws SQLException {
    try (Connection connection = dataSource.getConnection()) {
      return Coverage.ask(connection).tables().keySet();
    }
  }

  /**
   * Looks at the installation as it is, and at the rights of the roles that are to follow it.
   *
   * @throws SQLException if the database cannot be asked, or there is no such role
   */
  public JournalStatus check() throws SQLException {
    try (Connection connection = dataSource.getConnection()) {
      return JournalStatus.of(connection, followed(), readers);
    }
  }

  private String triggers(Connection connection, Installed installed) throws SQLException {
    FollowedTable followed = installed.table();
    List<String[]> members = members(connection, followed.table());
    Lane lane = Lane.ofTable(members.get(0)[0], members.get(0)[1]);
    TriggerText text =
        new TriggerText(lane, TableShape.of(connection, followed), installed.notifies());
    StringBuilder script = new StringBuilder(text.functionText());
    members.forEach(member -> script.append(text.triggersText(member[0], member[1])));
    return script.toString();
  }

  private static List<String[]> members(Connection connection, String table) throws SQLException {
    List<String[]> members = new ArrayList<>();
    try (PreparedStatement statement = connection.prepareStatement(MEMBERS)) {
      statement.setString(1, table);
      try (ResultSet rows = statement.executeQuery()) {
        while (rows.next()) {
          if (!rows.getString(3).equals("r") && !rows.getString(3).equals("p")) {
            throw new SQLException(
                "'" + table + "' is not a table; name the tables under it instead.");
          }
          if (!rows.getString(5).equals("p")) {
            throw new SQLException(
                "'"
                    + rows.getString(2)
                    + "' is an unlogged or temporary table: the server empties it after a crash, and"
                    + " no trigger tells of it.");
          }
          if (members.isEmpty() && rows.getBoolean(4)) {
            throw new SQLException(
                "'" + table + "' is a partition or child; name the table at the top instead.");
          }
          members.add(new String[] {rows.getString(1), rows.getString(2)});
        }
      }
    }
    if (members.isEmpty()) {
      throw new SQLException(
          "There is no table '" + table + "' in this database (with this search path).");
    }
    return members;
  }

  private void run(String script) throws SQLException {
    try (Borrowed borrowed = Borrowed.from(dataSource).autoCommit(false);
        Statement statement = borrowed.connection().createStatement()) {
      try {
        statement.execute(script);
        borrowed.connection().commit();
      } catch (SQLException e) {
        rollBack(borrowed, e);
        throw explained(e);
      }
    }
  }

  private static void rollBack(Borrowed borrowed, SQLException cause) {
    try {
      borrowed.connection().rollback();
    } catch (SQLException e) {
      cause.addSuppressed(e);
      borrowed.spoil();
    }
  }

  private static SQLException explained(SQLException e) {
    String state = String.valueOf(e.getSQLState());
    return switch (state) {
      case LOCK_NOT_AVAILABLE ->
          new SQLException(
              "A table has been busy for "
                  + LOCK_TIMEOUT
                  + "; nothing was changed. Try again when no long transaction writes to it.",
              state,
              e);
      case INSUFFICIENT_PRIVILEGE ->
          new SQLException(
              "This role may not do that, and nothing was changed; it must own the tables and may"
                  + " create schemas. "
                  + e.getMessage(),
              state,
              e);
      default -> e;
    };
  }

  private static String resource(String name) {
    try (InputStream in = Journal.class.getResourceAsStream(name)) {
      if (in == null) {
        throw new IllegalStateException("The resource " + name + " is missing from the build.");
      }
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
