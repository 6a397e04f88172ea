package dev.warmshelf.journal;

import dev.warmshelf.caller.Borrowed;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.postgres.analysis.SqlText;
import dev.warmshelf.postgres.driver.SqlState;
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
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.concurrent.locks.LockSupport;
import java.util.function.Consumer;
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
  static final int VERSION = 7;

  /** Made where a superuser installs. */
  static final String OWNER = "warm_shelf";

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

  /** The functions that the triggers call. */
  private static final String FUNCTIONS =
      """
      SELECT format('%I.%I', w.nspname, p.proname)
      FROM pg_proc p JOIN pg_namespace w ON w.oid = p.pronamespace
      WHERE w.nspname = 'warm_shelf' AND p.proname LIKE 'note\\_%'
        AND p.prorettype = 'trigger'::regtype
      ORDER BY p.proname
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

  private static final String HAS_DIGESTS_COLUMN =
      "SELECT EXISTS (SELECT FROM pg_attribute WHERE attname = 'digests'"
          + " AND attrelid = to_regclass('warm_shelf.installation'))";

  private static final String LOCK_TIMEOUT = "5s";

  /** So long at most a writer waits for somebody who waits for a table's lock. */
  private static final String LONGEST_STALL = "50ms";

  private static final Duration PAUSE = Duration.ofMillis(100);
  private static final Duration BREATH = Duration.ofMillis(25);
  private static final Duration PATIENCE = Duration.ofSeconds(30);

  /**
   * On the session's own path, which is not to be trusted: nothing is looked up on it but the
   * table.
   */
  private static final String RESOLVE =
      "SELECT pg_catalog.to_regclass(?::pg_catalog.text)::pg_catalog.oid::pg_catalog.int8";

  private static final String NAMED =
      "SELECT s.nspname, c.relname FROM pg_class c JOIN pg_namespace s ON s.oid = c.relnamespace"
          + " WHERE c.oid = ?::oid";

  private final DataSource dataSource;
  private final @Nullable Duration retention;
  private final boolean notifies;
  private final boolean digests;
  private final List<String> readers;
  private final Consumer<String> told;

  private Journal(
      DataSource dataSource,
      @Nullable Duration retention,
      boolean notifies,
      boolean digests,
      List<String> readers,
      Consumer<String> told) {
    this.dataSource = dataSource;
    this.retention = retention;
    this.notifies = notifies;
    this.digests = digests;
    this.readers = readers;
    this.told = told;
  }

  /**
   * The journal of this data source's database.
   *
   * @param dataSource as a role that owns the tables and may create schemas
   */
  public static Journal on(DataSource dataSource) {
    return new Journal(dataSource, null, false, false, List.of(), done -> {});
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
    return new Journal(dataSource, age, notifies, digests, readers, told);
  }

  /**
   * The same, to install with triggers that wake readers by {@code NOTIFY}. Not by default:
   * transactions that notify commit one after the other, and one that has notified cannot be
   * prepared for a two-phase commit ({@code PREPARE TRANSACTION} fails).
   */
  public Journal wakingReaders() {
    return new Journal(dataSource, retention, true, digests, readers, told);
  }

  /**
   * The same, to install with digests of the tracked columns' values in the journal, for good: all
   * tables that are followed get them, and each that is installed later, until the journal is
   * removed. Whoever follows reads no value then of tables that he may not read, though he can see
   * whether one that he guesses was right. Answers are not mended by parts then, and no roster is
   * asked, since both bind changed values; what changes concern, they tell as before.
   */
  public Journal withDigests() {
    return new Journal(dataSource, retention, notifies, true, readers, told);
  }

  /**
   * The same, to install with the rights that these roles need to follow, and to check whether they
   * have them.
   *
   * @param roles as the catalogue spells them
   */
  public Journal readBy(Collection<String> roles) {
    return new Journal(dataSource, retention, notifies, digests, List.copyOf(roles), told);
  }

  /** The same that tells, in a line each, which tables it is done with. */
  public Journal telling(Consumer<String> line) {
    return new Journal(
        dataSource, retention, notifies, digests, readers, Objects.requireNonNull(line, "line"));
  }

  /**
   * The SQL that {@link #install} runs, for a person to read or to run.
   *
   * @param tables with the columns that tell their changes apart: {@code port}, {@code
   *     booking:sailing_id,agent_id}
   * @throws IllegalArgumentException if one of them is not written so
   * @throws SQLException if one of them is not a table, is a partition of another, or lacks a
   *     column that changes can be told apart by
   */
  public String script(Collection<String> tables) throws SQLException {
    try (Borrowed admin = Borrowed.from(dataSource).autoCommit(true)) {
      List<Installed> all = resolved(admin, wanted(tables));
      List<String> parts = new ArrayList<>();
      boolean hidden = hides(admin.connection());
      parts.add("SET LOCAL lock_timeout = '" + LOCK_TIMEOUT + "';\n" + beginning(hidden));
      for (Installed table : all) {
        parts.add(triggers(admin.connection(), table, hidden));
      }
      parts.add(conclusion());
      return String.join("\n", parts);
    }
  }

  private List<Installed> wanted(Collection<String> tables) {
    return tables.stream()
        .map(table -> new Installed(FollowedTable.parse(table), notifies, false))
        .toList();
  }

  /**
   * A table with its triggers.
   *
   * @param notifies whether they wake readers
   * @param hidden whether they write no value
   */
  private record Installed(FollowedTable table, boolean notifies, boolean hidden) {}

  /** Whether digests stand in the journal, or are to stand in it. */
  private boolean hides(Connection connection) throws SQLException {
    return digests || hasDigests(connection);
  }

  /** Whether the installation is one with digests; on the system's path. */
  static boolean hasDigests(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement()) {
      try (ResultSet row = statement.executeQuery(HAS_DIGESTS_COLUMN)) {
        row.next();
        if (!row.getBoolean(1)) {
          return false;
        }
      }
      try (ResultSet row =
          statement.executeQuery("SELECT bool_or(digests) FROM warm_shelf.installation")) {
        row.next();
        return row.getBoolean(1);
      }
    }
  }

  /** What must be there before a table is followed; from then on its values are hidden or not. */
  private static String beginning(boolean hidden) {
    return resource("install.sql")
        + (hidden ? "\nUPDATE warm_shelf.installation SET digests = true;" : "");
  }

  /** What makes the installation one of today's version, once all tables are. */
  private String conclusion() {
    StringBuilder script = new StringBuilder();
    script.append("UPDATE warm_shelf.installation SET version = ").append(VERSION);
    if (retention != null) {
      script.append(", retention = make_interval(secs => ").append(retention.toSeconds());
      script.append(')');
    }
    script.append(";\n");
    for (String role : readers) {
      ReaderRights.grants(role).forEach(grant -> script.append(grant).append('\n'));
    }
    return script.toString();
  }

  /**
   * Follows these tables, beside those followed already. Table by table, each in a transaction of
   * its own, so that no writer waits for long; what was done when it is interrupted stays, and
   * installing again goes on from there. Repeatable; a table that is followed already gets the
   * columns named now. A table that is busy is tried again for half a minute.
   *
   * @throws SQLException if the database could not be asked, or refused; each table is followed as
   *     a whole then, or not at all
   */
  public void install(Collection<String> tables) throws SQLException {
    installAll(wanted(tables));
    if (digests) {
      List<Installed> showing = installed().stream().filter(each -> !each.hidden()).toList();
      if (!showing.isEmpty()) {
        installAll(showing);
      }
    }
  }

  /**
   * Installs anew, in today's version, what is followed already; mends what has been damaged.
   * Triggers that wake readers still do.
   *
   * @throws SQLException as {@link #install} does
   */
  public void upgrade() throws SQLException {
    installAll(
        installed().stream()
            .map(each -> new Installed(each.table(), each.notifies() || notifies, each.hidden()))
            .toList());
  }

  private void installAll(List<Installed> tables) throws SQLException {
    try (Borrowed admin = Borrowed.from(dataSource).autoCommit(true)) {
      List<String> scripts = new ArrayList<>();
      List<Installed> all = resolved(admin, tables);
      boolean hidden = hides(admin.connection());
      for (Installed table : all) { // all that is wrong with them shows before anything is done
        scripts.add(triggers(admin.connection(), table, hidden));
      }
      admin.autoCommit(false);
      run(admin, beginning(hidden));
      for (int i = 0; i < scripts.size(); i++) {
        runPatiently(admin, scripts.get(i));
        told.accept(
            "followed %d of %d: %s".formatted(i + 1, scripts.size(), all.get(i).table().table()));
      }
      run(admin, conclusion());
    }
  }

  /**
   * The tables by their schemas and names, as the session's own path finds them; on the system's
   * from then on.
   */
  private static List<Installed> resolved(Borrowed admin, List<Installed> tables)
      throws SQLException {
    Connection connection = admin.connection();
    List<Long> found = new ArrayList<>();
    try (PreparedStatement statement = connection.prepareStatement(RESOLVE)) {
      for (Installed table : tables) {
        statement.setString(1, table.table().table());
        try (ResultSet row = statement.executeQuery()) {
          row.next();
          found.add(row.getLong(1));
          if (row.wasNull()) {
            throw new SQLException(
                "There is no table '"
                    + table.table().table()
                    + "' in this database (with this search path).");
          }
        }
      }
    }
    admin.setting("search_path", SqlText.SYSTEM_PATH);
    List<Installed> resolved = new ArrayList<>();
    try (PreparedStatement statement = connection.prepareStatement(NAMED)) {
      for (int i = 0; i < tables.size(); i++) {
        statement.setLong(1, found.get(i));
        try (ResultSet row = statement.executeQuery()) {
          row.next();
          String name = SqlText.identifier(row.getString(1), row.getString(2));
          Installed table = tables.get(i);
          FollowedTable followed = new FollowedTable(name, table.table().columns());
          resolved.add(new Installed(followed, table.notifies(), table.hidden()));
        }
      }
    }
    return resolved;
  }

  /**
   * What has been installed, whether or not all is well with it.
   *
   * @throws SQLException if the database could not be asked, or refused; nothing was changed then
   */
  List<FollowedTable> followed() throws SQLException {
    return installed().stream().map(Installed::table).toList();
  }

  private List<Installed> installed() throws SQLException {
    List<Installed> tables = new ArrayList<>();
    try (Borrowed admin = looking();
        Statement statement = admin.connection().createStatement();
        ResultSet rows = statement.executeQuery(FOLLOWED)) {
      while (rows.next()) {
        TriggerArguments made = TriggerArguments.parse(rows.getBytes(2));
        tables.add(
            new Installed(
                new FollowedTable(rows.getString(1), List.copyOf(made.tracked().keySet())),
                rows.getBoolean(3),
                made.tracked().isEmpty() || made.isHidden()));
      }
    }
    return tables;
  }

  /**
   * Takes away the triggers, table by table as they were installed, and then the schema and all
   * that is in it. Repeatable.
   *
   * @throws SQLException if the database could not be asked, or refused; what had been taken away
   *     by then is gone
   */
  public void remove() throws SQLException {
    Map<String, List<String>> drops = drops();
    List<String> functions = functionDrops();
    try (Borrowed admin =
        Borrowed.from(dataSource)
            .autoCommit(true)
            .setting("search_path", SqlText.SYSTEM_PATH)
            .autoCommit(false)) {
      run(admin, EVENTS_REMOVAL);
      int done = 0;
      for (Map.Entry<String, List<String>> table : drops.entrySet()) {
        runPatiently(admin, String.join("\n", table.getValue()));
        done++;
        told.accept("removed %d of %d: %s".formatted(done, drops.size(), table.getKey()));
      }
      for (String function : functions) {
        runPatiently(admin, function);
      }
      run(admin, SCHEMA_REMOVAL);
    }
  }

  /**
   * The SQL that {@link #remove} runs.
   *
   * @throws SQLException if the database could not be asked, or refused
   */
  public String removal() throws SQLException {
    List<String> script = new ArrayList<>();
    script.add("SET LOCAL lock_timeout = '" + LOCK_TIMEOUT + "';");
    script.add("SET LOCAL search_path = " + SqlText.SYSTEM_PATH + ";");
    script.add(EVENTS_REMOVAL);
    drops().values().forEach(script::addAll);
    script.addAll(functionDrops());
    script.add(SCHEMA_REMOVAL);
    return String.join("\n", script);
  }

  private Map<String, List<String>> drops() throws SQLException {
    Map<String, List<String>> drops = new LinkedHashMap<>();
    try (Borrowed admin = looking();
        Statement statement = admin.connection().createStatement();
        ResultSet rows = statement.executeQuery(TRIGGERS)) {
      while (rows.next()) {
        String table = SqlText.identifier(rows.getString(2), rows.getString(3));
        drops
            .computeIfAbsent(table, t -> new ArrayList<>())
            .add(
                "DROP TRIGGER IF EXISTS %s ON %s;"
                    .formatted(SqlText.identifier(rows.getString(1)), table));
      }
    }
    return drops;
  }

  private List<String> functionDrops() throws SQLException {
    List<String> drops = new ArrayList<>();
    try (Borrowed admin = looking();
        Statement statement = admin.connection().createStatement();
        ResultSet rows = statement.executeQuery(FUNCTIONS)) {
      while (rows.next()) {
        drops.add("DROP FUNCTION IF EXISTS %s() CASCADE;".formatted(rows.getString(1)));
      }
    }
    return drops;
  }

  private static final String EVENTS_REMOVAL =
      """
      DROP EVENT TRIGGER IF EXISTS warm_shelf_begin;
      DROP EVENT TRIGGER IF EXISTS warm_shelf_schema;
      DROP EVENT TRIGGER IF EXISTS warm_shelf_drop;""";

  /** The role stays where it owns something in another database. */
  private static final String SCHEMA_REMOVAL =
      """
      DROP SCHEMA IF EXISTS warm_shelf CASCADE;
      DO $role$
      BEGIN
        IF (SELECT rolsuper FROM pg_roles WHERE rolname = current_user) THEN
          DROP ROLE IF EXISTS warm_shelf;
        END IF;
      EXCEPTION WHEN dependent_objects_still_exist THEN
        NULL;
      END
      $role$;""";

  /** A connection on which names are looked up on the system's path alone. */
  private Borrowed looking() throws SQLException {
    return Borrowed.from(dataSource).autoCommit(true).setting("search_path", SqlText.SYSTEM_PATH);
  }

  /**
   * The tables whose every change is noted, on themselves and on each partition or child.
   *
   * @throws SQLException if the database could not be asked, or refused; nothing was changed then
   */
  public Set<Lane> covered() throws SQLException {
    try (Borrowed admin = looking()) {
      return Coverage.ask(admin.connection()).tables().keySet();
    }
  }

  /**
   * Looks at the installation as it is, and at the rights of the roles that are to follow it.
   *
   * @throws SQLException if the database cannot be asked, or there is no such role
   */
  public JournalStatus check() throws SQLException {
    List<FollowedTable> followed = followed();
    try (Borrowed admin = looking()) {
      return JournalStatus.of(admin.connection(), followed, readers);
    }
  }

  private static String triggers(Connection connection, Installed installed, boolean hidden)
      throws SQLException {
    FollowedTable followed = installed.table();
    List<String[]> members = members(connection, followed.table());
    Lane lane = Lane.ofTable(members.get(0)[0], members.get(0)[1]);
    TableShape shape = TableShape.of(connection, followed);
    TriggerText text =
        new TriggerText(lane, hidden ? shape.hidden(lane) : shape, installed.notifies());
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
    return members;
  }

  private static void run(Borrowed admin, String script) throws SQLException {
    try {
      commit(admin, script);
    } catch (SQLException e) {
      throw explained(e);
    }
  }

  /**
   * A table's lock makes its writers wait, also as long as it is waited for: so it is not waited
   * for long, but again and again. And every session that has plans looks through all of them for
   * each thing that has changed, before it does anything else, and is not done with that while more
   * changes: so there is a pause.
   */
  private static void runPatiently(Borrowed admin, String script) throws SQLException {
    long deadline = System.nanoTime() + PATIENCE.toNanos();
    while (true) {
      long began = System.nanoTime();
      try {
        commit(admin, "SET LOCAL lock_timeout = '" + LONGEST_STALL + "';\n" + script);
        LockSupport.parkNanos(Math.max(BREATH.toNanos(), 3 * (System.nanoTime() - began)));
        return;
      } catch (SQLException e) {
        if (!SqlState.LOCK_NOT_AVAILABLE.isOf(e) || System.nanoTime() > deadline) {
          throw explained(e);
        }
        LockSupport.parkNanos(PAUSE.toNanos());
      }
    }
  }

  private static void commit(Borrowed admin, String script) throws SQLException {
    try (Statement statement = admin.connection().createStatement()) {
      statement.execute(script);
      admin.connection().commit();
    } catch (SQLException e) {
      rollBack(admin, e);
      throw e;
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
    SqlState state = SqlState.of(e);
    return switch (state) {
      case LOCK_NOT_AVAILABLE ->
          new SQLException(
              "A table has been busy for "
                  + PATIENCE.toSeconds()
                  + " s; nothing of it was changed. Try again when no long transaction writes to it.",
              state.code(),
              e);
      case INSUFFICIENT_PRIVILEGE ->
          new SQLException(
              "This role may not do that; it must own the tables and may create schemas. "
                  + e.getMessage(),
              state.code(),
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
