package dev.warmshelf.door;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.TestDatabase;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.door.Lockstep.Pair;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.shelf.Rule;
import java.lang.reflect.Method;
import java.math.BigDecimal;
import java.sql.Connection;
import java.sql.Date;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.sql.Savepoint;
import java.sql.Statement;
import java.sql.Timestamp;
import java.sql.Types;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Calendar;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TimeZone;
import java.util.UUID;
import java.util.concurrent.locks.LockSupport;
import javax.sql.DataSource;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * The same random calls on connections of the driver's, and on ours over another copy of the
 * database, in lockstep: results, errors, metadata and warnings are the same. Others write to both;
 * once the feed has told of it, or a commit of ours has returned, nothing is old.
 *
 * <p>{@code -DargLine="-Ddoor.calls=100000 -Ddoor.seed=7"} for longer.
 */
class DifferenceTest {
  private static final int CALLS = Integer.getInteger("door.calls", 5_000);
  private static final long SEED = Long.getLong("door.seed", 42);

  private static final String SCHEMA =
      """
      CREATE TYPE mood AS ENUM ('calm', 'rough');
      CREATE TABLE kind (id int PRIMARY KEY, label text NOT NULL);
      CREATE TABLE thing (
        id serial PRIMARY KEY, kind int REFERENCES kind, name varchar(40), amount numeric(10,2),
        at timestamptz, ts timestamp, day date, tm time, flag bool, data bytea, doc jsonb,
        tags text[], u uuid, f8 float8, f4 float4, small int2, big int8, letter char(3),
        span interval, sea mood, cash money, bits bit(4), x xml);
      INSERT INTO kind VALUES (1, 'one'), (2, 'two'), (3, 'three');
      INSERT INTO thing (kind, name, amount, at, ts, day, tm, flag, data, doc, tags, u, f8, f4,
                         small, big, letter, span, sea, cash, bits, x)
      SELECT 1 + i % 3, 'thing ' || i, i * 1.25, timestamptz '2024-03-30 23:30:00+00' + i * interval '7 h',
             timestamp '2024-03-31 02:30:00.123456' + i * interval '1 d', date '2024-02-28' + i,
             time '10:20:30' + i * interval '1 min', i % 2 = 0, decode(lpad(to_hex(i), 2, '0'), 'hex'),
             jsonb_build_object('i', i), ARRAY['a' || i, NULL, 'c'],
             md5(i::text)::uuid, i / 3.0, i / 7.0, i, 10000000000 * i, 'ab', i * interval '1 day 2 h',
             CASE WHEN i % 2 = 0 THEN 'calm' ELSE 'rough' END::mood, i, i::bit(4),
             ('<a>' || i || '</a>')::xml
      FROM generate_series(1, 12) i;
      INSERT INTO thing (name) VALUES (NULL), ('12'), ('true'), ('NaN'), ('2024-05-01 10:00:00+02');
      INSERT INTO thing (f8, f4, amount, ts, day) VALUES ('NaN', '-Infinity', 'NaN', 'infinity', '-infinity');
      CREATE SCHEMA other;
      CREATE TABLE other.kind (id int PRIMARY KEY, label text NOT NULL);
      INSERT INTO other.kind VALUES (1, 'another');
      CREATE FUNCTION notes() RETURNS int LANGUAGE plpgsql AS
        $$ BEGIN RAISE NOTICE 'heard'; INSERT INTO kind VALUES (100 + (SELECT count(*) FROM kind), 'noted'); RETURN 1; END $$;
      CREATE FUNCTION writes() RETURNS bigint LANGUAGE sql AS
        $$ WITH w AS (INSERT INTO kind SELECT 200 + count(*), 'written' FROM kind RETURNING 1) SELECT count(*) FROM w $$;
      CREATE FUNCTION stable_notes() RETURNS bigint STABLE LANGUAGE plpgsql AS $$ BEGIN RETURN writes(); END $$;
      CREATE FUNCTION wanders() RETURNS text STABLE LANGUAGE plpgsql AS
        $$ BEGIN RETURN set_config('search_path', 'other, public', false); END $$;
      CREATE ROLE THE_READER;
      GRANT SELECT ON kind, thing TO THE_READER;
      """;

  private static final List<String> READS =
      List.of(
          "SELECT * FROM thing ORDER BY id",
          "SELECT * FROM thing WHERE id = ?",
          "SELECT id, name, amount FROM thing WHERE kind = ? ORDER BY id",
          "SELECT id, at, ts, day, tm FROM thing WHERE kind = ? AND id > ? ORDER BY id",
          "SELECT label, count(*) AS \"How many\", sum(amount) FROM kind LEFT JOIN thing ON thing.kind = kind.id"
              + " GROUP BY label ORDER BY label",
          "SELECT k.label, t.name, t.id FROM kind k JOIN thing t ON t.kind = k.id WHERE k.id = ? ORDER BY t.id",
          "SELECT name, name AS name, id AS name FROM thing WHERE name = ? ORDER BY id",
          "SELECT id, day FROM thing WHERE day > ? ORDER BY id",
          "SELECT id, at FROM thing WHERE at < ? ORDER BY id",
          "SELECT label FROM kind ORDER BY id /* shelf: marked */",
          "SELECT id, label FROM kind WHERE id = 2",
          "SELECT id, data, doc, tags, u, sea, span, cash, bits, x FROM thing ORDER BY id",
          "VALUES (1, 'a'), (2, NULL)",
          "SELECT now() > timestamptz '2001-01-01', id FROM kind ORDER BY id",
          "SELECT count(*) FROM kind, pg_sleep(0)",
          "SELECT id / (id - 2) FROM kind WHERE id < ? ORDER BY id",
          "SELECT f8, f4, amount, small, big, flag, letter FROM thing ORDER BY id",
          "SELECT id FROM thing WHERE id = ? FOR UPDATE",
          "SELECT current_setting('search_path'), label FROM kind ORDER BY id",
          "SELECT no_such_column FROM kind",
          "SELECT id FROM thing WHERE tags ? 'a'",
          "SELECT {fn upper(label)} FROM kind ORDER BY id",
          "SELECT 1; SELECT 2");

  private static final List<String> WRITES =
      List.of(
          "UPDATE thing SET amount = coalesce(amount, 0) + 1 WHERE id = ?",
          "UPDATE thing SET kind = 1 + coalesce(kind, 0) % 3 WHERE id = ?",
          "UPDATE kind SET label = label || '.' WHERE id = ?",
          "INSERT INTO thing (name) SELECT 'more' WHERE (SELECT count(*) FROM thing) < 25 AND ? > 0",
          "DELETE FROM thing WHERE id > 18 AND id = ?",
          "INSERT INTO kind VALUES (?, 'same id')",
          "INSERT INTO kind SELECT 50 + ?, 'new' ON CONFLICT (id) DO UPDATE SET label = 'old'",
          "UPDATE thing SET name = 'x' WHERE id = ? RETURNING id, name",
          "WITH gone AS (DELETE FROM kind WHERE id > 40 + ? RETURNING id) SELECT count(*) FROM gone");

  private static final List<String> SESSION =
      List.of(
          "SET search_path = other, public",
          "SET search_path = public",
          "RESET search_path",
          "SELECT set_config('search_path', 'other, public', false)",
          "SELECT set_config('TimeZone', 'Asia/Tokyo', false)",
          "SET LOCAL search_path = other, public",
          "SET TIME ZONE 'America/New_York'",
          "RESET TIME ZONE",
          "SET DateStyle = 'German'",
          "RESET ALL",
          "DISCARD ALL",
          "DISCARD TEMP",
          "SET ROLE reader_role",
          "RESET ROLE",
          "BEGIN",
          "COMMIT",
          "ROLLBACK",
          "SAVEPOINT s",
          "ROLLBACK TO s",
          "PREPARE TRANSACTION 'x'",
          "CREATE TEMP TABLE kind (id int, label text)",
          "DROP TABLE IF EXISTS pg_temp.kind",
          "SELECT notes()",
          "SELECT stable_notes()",
          "SELECT wanders()",
          "SELECT query_to_xml('SELECT writes()', true, true, '')",
          "UPDATE kind SET label = label WHERE id = 1 RETURNING set_config('search_path', 'other, public', false)",
          "SET SESSION CHARACTERISTICS AS TRANSACTION ISOLATION LEVEL REPEATABLE READ",
          "SET SESSION CHARACTERISTICS AS TRANSACTION ISOLATION LEVEL READ COMMITTED",
          "SET default_transaction_read_only = on",
          "SET default_transaction_read_only = off",
          "DO $$ BEGIN PERFORM set_config('search_path', 'other, public', false); END $$");

  private static final List<String> CHANGES_OF_SCHEMA =
      List.of(
          "ALTER TABLE kind ADD COLUMN IF NOT EXISTS more int DEFAULT 7",
          "ALTER TABLE kind DROP COLUMN IF EXISTS more",
          "ALTER TABLE thing ALTER COLUMN name TYPE text",
          "ALTER TABLE thing ALTER COLUMN name TYPE varchar(40)");

  private final Random random = new Random(SEED);
  private final Lockstep lockstep = new Lockstep();
  private boolean pooled;
  private final List<Connected> open = new ArrayList<>();
  private TestDatabase plain;
  private TestDatabase ours;
  private WarmShelf warm;
  private String role;

  /** A pair of connections with what was made on them. */
  private static final class Connected {
    private final Pair connection;
    private final List<Pair> statements = new ArrayList<>();
    private final List<Pair> results = new ArrayList<>();
    private final List<Pair> savepoints = new ArrayList<>();

    /** Whether its session is left as it is. */
    private final boolean calm;

    Connected(Pair connection, boolean calm) {
      this.connection = connection;
      this.calm = calm;
    }
  }

  @Test
  void nothingTellsOursFromTheDrivers() throws Exception {
    runIn("Europe/Berlin");
  }

  /** Whoever is given a connection again has the session that the one before has left. */
  @Tag("thorough")
  @Test
  void norWhereTheSameConnectionIsGivenOutAgain() throws Exception {
    pooled = true;
    runIn("Asia/Tokyo");
  }

  private void runIn(String named) throws Exception {
    TimeZone zone = TimeZone.getDefault();
    TimeZone.setDefault(TimeZone.getTimeZone(named));
    try {
      run();
    } finally {
      TimeZone.setDefault(zone);
    }
    System.out.println(lockstep.calls() + " calls, " + lockstep.kept() + " answers from a shelf");
    assertThat(lockstep.kept()).isGreaterThan(CALLS / (pooled ? 1_000 : 400));
  }

  private void run() throws Exception {
    role = "r" + System.nanoTime();
    String schema = SCHEMA.replace("THE_READER", role);
    List<String> followed = List.of("kind", "thing", "other.kind");
    plain = TestDatabase.create(schema, followed);
    ours = TestDatabase.create(schema.replaceAll("CREATE ROLE.*;", ""), followed);
    PGSimpleDataSource theirs = plain.postgres();
    PGSimpleDataSource own = ours.postgres();
    DataSource driver = pooled ? Reused.over(theirs) : theirs;
    DataSource beneath = pooled ? Reused.over(own) : own;
    for (PGSimpleDataSource each : List.of(theirs, own)) {
      each.setBinaryTransfer(false); // texts do not depend on how often it was asked
      each.setOptions("-c lock_timeout=50ms"); // one of ours may wait for another
    }
    try (WarmShelf opened =
        WarmShelf.over(beneath)
            .following(JournalFeed.on(ours.dataSource()).polling(Duration.ofMillis(5)))
            .shelf("marked", policy -> policy)
            .keeping(Rule.ofMark("marked").on("marked"))
            .keeping(Rule.ofTablesAmong("kind", "thing"))
            .open()) {
      warm = opened;
      DataSource door = opened.dataSource();
      while (lockstep.calls() < CALLS) {
        if (open.isEmpty() || (!pooled && open.size() < 3 && random.nextInt(40) == 0)) {
          String name = "c" + lockstep.calls();
          open.add(
              new Connected(
                  new Pair(Connection.class, driver.getConnection(), door.getConnection(), name),
                  random.nextInt(3) > 0));
          if (pooled && random.nextBoolean()) {
            setBack(open.get(0));
          }
        }
        Connected on = open.get(random.nextInt(open.size()));
        if (((Connection) on.connection.plain()).isClosed()) { // the driver has given it up
          lockstep.call(on.connection, "isClosed", NONE);
          lockstep.call(on.connection, "createStatement", NONE);
          lockstep.call(on.connection, "close", NONE);
          open.remove(on);
        } else {
          step(on);
        }
      }
      for (Connected each : open) {
        lockstep.call(each.connection, "close", new Class<?>[0]);
      }
    }
  }

  /** What whoever had the connection before may have left. */
  private void setBack(Connected on) {
    if (lockstep.call(on.connection, "createStatement", NONE) instanceof Pair statement) {
      for (String sql :
          List.of("ROLLBACK", "RESET ROLE", "RESET ALL", "DROP TABLE IF EXISTS pg_temp.kind")) {
        lockstep.call(statement, "execute", types(String.class), sql);
      }
      lockstep.call(statement, "close", NONE);
    }
  }

  private void step(Connected on) throws SQLException {
    int draw = random.nextInt(100);
    if (draw < 4) {
      ofConnection(on);
    } else if (draw < 6 && !on.calm) {
      session(on);
    } else if (draw < 7) {
      readWhatAnySessionReads(on);
    } else if (draw < 8) {
      writeByRows(on);
    } else if (draw < 10) {
      othersWrite();
    } else if (draw < 22) {
      prepare(on);
    } else if (draw < 45) {
      execute(on);
    } else if (draw < 55) {
      ofStatement(on);
    } else {
      ofResult(on);
    }
  }

  private static final Class<?>[] NONE = {};

  private void ofConnection(Connected on) {
    Pair c = on.connection;
    switch (on.calm ? pick(List.of(2, 3, 5, 11, 14)) : random.nextInt(16)) {
      case 0, 1 -> lockstep.call(c, "setAutoCommit", types(boolean.class), random.nextBoolean());
      case 2, 3, 4 -> lockstep.call(c, "commit", NONE);
      case 5, 6 -> lockstep.call(c, "rollback", NONE);
      case 7 -> lockstep.call(c, "setReadOnly", types(boolean.class), random.nextInt(4) == 0);
      case 8 ->
          lockstep.call(
              c, "setTransactionIsolation", types(int.class), pick(List.of(1, 2, 2, 2, 4, 8, 3)));
      case 9 -> {
        Object made = lockstep.call(c, "setSavepoint", NONE);
        if (made instanceof Pair savepoint) {
          on.savepoints.add(savepoint);
        }
      }
      case 10 -> {
        if (!on.savepoints.isEmpty()) {
          lockstep.call(c, "rollback", types(Savepoint.class), pick(on.savepoints));
        }
      }
      case 11 -> {
        for (String getter :
            List.of(
                "getAutoCommit",
                "isReadOnly",
                "getTransactionIsolation",
                "getHoldability",
                "getWarnings",
                "isClosed",
                "getSchema")) {
          lockstep.call(c, getter, NONE);
        }
      }
      case 12 ->
          lockstep.call(
              c, "setSchema", types(String.class), pick(List.of("public", "public", "other")));
      case 13 -> lockstep.call(c, "clearWarnings", NONE);
      default -> {
        lockstep.call(c, "close", NONE);
        lockstep.call(
            c,
            pick(List.of("commit", "createStatement", "isClosed", "close", "getAutoCommit")),
            NONE);
        open.remove(on);
      }
    }
  }

  private void session(Connected on) {
    Object made = lockstep.call(on.connection, "createStatement", NONE);
    if (made instanceof Pair statement) {
      String sql = pick(SESSION).replace("reader_role", role);
      Object result = lockstep.call(statement, "execute", types(String.class), sql);
      if (!sql.startsWith("DROP")) { // what there is not, is said by the server's own lights
        lockstep.call(statement, "getWarnings", NONE);
      }
      lockstep.call(statement, "close", NONE);
      if (sql.startsWith("DISCARD") && "class java.lang.Boolean false".equals(result)) {
        on.savepoints.clear();
      }
    }
    readWhatAnySessionReads(on);
  }

  /** A statement whose answer is kept most of the time, and another one in another session. */
  private void readWhatAnySessionReads(Connected on) {
    if (lockstep.call(on.connection, "createStatement", NONE) instanceof Pair statement) {
      String sql =
          pick(List.of("SELECT label FROM kind ORDER BY id", "SELECT at FROM thing ORDER BY id"));
      Object rows = lockstep.call(statement, "executeQuery", types(String.class), sql);
      if (rows instanceof Pair result) {
        readAll(result);
      }
      lockstep.call(statement, "close", NONE);
    }
  }

  /** Another program's commit, to both; then the feed tells of it, or a commit of ours asks it. */
  private void othersWrite() throws SQLException {
    String sql = pick(random.nextInt(8) == 0 ? CHANGES_OF_SCHEMA : WRITES);
    String text = sql.replace("?", String.valueOf(1 + random.nextInt(20)));
    if (isWaitedFor(text)) {
      return;
    }
    lockstep.note("--- others: " + text);
    Instant before = Instant.now();
    while (!warm.freshAsOf().orElse(Instant.MIN).isAfter(before)) {
      LockSupport.parkNanos(1_000_000);
    }
  }

  /** Whether a transaction that is open keeps others from writing; then nobody writes. */
  private boolean isWaitedFor(String sql) throws SQLException {
    try (Connection one = plain.dataSource().getConnection();
        Connection other = ours.dataSource().getConnection();
        Statement first = one.createStatement();
        Statement second = other.createStatement()) {
      one.setAutoCommit(false);
      other.setAutoCommit(false);
      try {
        first.execute("SET LOCAL lock_timeout = '20ms'");
        second.execute("SET LOCAL lock_timeout = '20ms'");
        first.execute(sql);
        second.execute(sql);
      } catch (SQLException e) {
        return true;
      }
      one.commit();
      other.commit();
      return false;
    }
  }

  /** Through a result set that can be updated, and then a read of what was written. */
  private void writeByRows(Connected on) {
    Object made =
        lockstep.call(
            on.connection,
            "createStatement",
            types(int.class, int.class),
            ResultSet.TYPE_SCROLL_INSENSITIVE,
            ResultSet.CONCUR_UPDATABLE);
    if (!(made instanceof Pair statement)) {
      return;
    }
    String sql = "SELECT id, label FROM kind ORDER BY id";
    if (lockstep.call(statement, "executeQuery", types(String.class), sql) instanceof Pair rows) {
      lockstep.call(rows, "absolute", types(int.class), 1 + random.nextInt(4));
      switch (random.nextInt(4)) {
        case 0 -> {
          lockstep.call(rows, "updateString", types(int.class, String.class), 2, "by rows");
          lockstep.call(rows, "updateRow", NONE);
        }
        case 1 -> {
          lockstep.call(rows, "moveToInsertRow", NONE);
          lockstep.call(rows, "updateInt", types(int.class, int.class), 1, 60 + random.nextInt(9));
          lockstep.call(rows, "updateString", types(int.class, String.class), 2, "a row");
          lockstep.call(rows, "insertRow", NONE);
        }
        case 2 -> lockstep.call(rows, "deleteRow", NONE);
        default -> lockstep.call(rows, "refreshRow", NONE);
      }
    }
    lockstep.call(statement, "close", NONE);
    readWhatAnySessionReads(on);
  }

  private void prepare(Connected on) {
    boolean write = random.nextInt(6) == 0;
    String sql = pick(write ? WRITES : READS);
    boolean prepared = sql.contains("?") || random.nextInt(3) > 0;
    Object made;
    if (!prepared) {
      made = lockstep.call(on.connection, "createStatement", NONE);
    } else if (random.nextInt(10) == 0) {
      made =
          lockstep.call(
              on.connection,
              "prepareStatement",
              types(String.class, int.class, int.class),
              sql,
              pick(List.of(ResultSet.TYPE_FORWARD_ONLY, ResultSet.TYPE_SCROLL_INSENSITIVE)),
              ResultSet.CONCUR_READ_ONLY);
    } else {
      made = lockstep.call(on.connection, "prepareStatement", types(String.class), sql);
    }
    if (made instanceof Pair statement) {
      if (on.statements.size() > 6) {
        on.statements.remove(random.nextInt(on.statements.size()));
      }
      on.statements.add(statement);
      if (random.nextInt(15) == 0) {
        lockstep.call(statement, "closeOnCompletion", NONE);
      }
      if (prepared) {
        bind(statement, sql);
        executed(on, statement, pick(List.of("executeQuery", "execute")), NONE);
      }
    }
  }

  private void bind(Pair statement, String sql) {
    int marks = (int) sql.chars().filter(c -> c == '?').count();
    for (int at = 1; at <= marks; at++) {
      int value = 1 + random.nextInt(random.nextInt(4) == 0 ? 20 : 4);
      boolean day = sql.contains("day > ?");
      boolean moment = sql.contains("at < ?");
      if (day) {
        bindDay(statement, at, value);
      } else if (moment) {
        bindMoment(statement, at, value);
      } else if (sql.contains("name = ?")) {
        lockstep.call(statement, "setString", types(int.class, String.class), at, "thing " + value);
      } else {
        bindNumber(statement, at, value);
      }
    }
    if (random.nextInt(20) == 0) {
      lockstep.call(statement, "setInt", types(int.class, int.class), marks + 1, 1);
    }
  }

  private void bindDay(Pair statement, int at, int value) {
    LocalDate day = LocalDate.of(2024, 3, value);
    switch (random.nextInt(3)) {
      case 0 ->
          lockstep.call(statement, "setDate", types(int.class, Date.class), at, Date.valueOf(day));
      case 1 -> lockstep.call(statement, "setObject", types(int.class, Object.class), at, day);
      default ->
          lockstep.call(
              statement, "setObject", types(int.class, Object.class), at, Date.valueOf(day));
    }
  }

  private void bindMoment(Pair statement, int at, int value) {
    Timestamp moment =
        Timestamp.from(Instant.parse("2024-03-31T00:30:00Z").plusSeconds(1800L * value));
    switch (random.nextInt(3)) {
      case 0 ->
          lockstep.call(statement, "setTimestamp", types(int.class, Timestamp.class), at, moment);
      case 1 ->
          lockstep.call(
              statement,
              "setTimestamp",
              types(int.class, Timestamp.class, Calendar.class),
              at,
              moment,
              Calendar.getInstance(TimeZone.getTimeZone("Asia/Tokyo")));
      default ->
          lockstep.call(
              statement,
              "setObject",
              types(int.class, Object.class),
              at,
              OffsetDateTime.parse("2024-03-31T03:30:00+02:00").plusHours(value));
    }
  }

  private void bindNumber(Pair statement, int at, int value) {
    Class<?>[] object = types(int.class, Object.class);
    switch (random.nextInt(12)) {
      case 0 -> lockstep.call(statement, "setLong", types(int.class, long.class), at, (long) value);
      case 1 ->
          lockstep.call(statement, "setShort", types(int.class, short.class), at, (short) value);
      case 2 -> lockstep.call(statement, "setObject", object, at, (Object) value);
      case 3 ->
          lockstep.call(
              statement,
              "setBigDecimal",
              types(int.class, BigDecimal.class),
              at,
              BigDecimal.valueOf(value));
      case 4 ->
          lockstep.call(
              statement,
              "setNull",
              types(int.class, int.class),
              at,
              pick(List.of(Types.INTEGER, Types.NULL, Types.VARCHAR)));
      case 5 ->
          lockstep.call(
              statement, "setString", types(int.class, String.class), at, String.valueOf(value));
      case 6 ->
          lockstep.call(statement, "setFloat", types(int.class, float.class), at, (float) value);
      case 7 ->
          lockstep.call(
              statement,
              "setObject",
              types(int.class, Object.class, int.class),
              at,
              value,
              pick(List.of(Types.INTEGER, Types.BIGINT, Types.VARCHAR)));
      default -> lockstep.call(statement, "setInt", types(int.class, int.class), at, value);
    }
  }

  private void execute(Connected on) {
    if (on.statements.isEmpty()) {
      return;
    }
    Pair statement = pick(on.statements);
    if (statement.type() == PreparedStatement.class) {
      if (random.nextInt(3) == 0) {
        bindNumber(statement, 1, 1 + random.nextInt(4));
      }
      executed(
          on,
          statement,
          pick(List.of("executeQuery", "executeQuery", "execute", "executeUpdate")),
          NONE);
    } else {
      String sql = pick(READS);
      executed(on, statement, pick(List.of("executeQuery", "execute")), types(String.class), sql);
    }
  }

  private void executed(Connected on, Pair statement, String how, Class<?>[] types, Object... sql) {
    Object result = lockstep.call(statement, how, types, sql);
    lockstep.call(statement, "getWarnings", NONE);
    if (how.equals("execute")) {
      result = lockstep.call(statement, "getResultSet", NONE);
    }
    if (result instanceof Pair rows) {
      on.results.add(rows);
      if (on.results.size() > 4) {
        on.results.remove(0);
      }
      if (random.nextInt(3) == 0) {
        readAll(rows);
      }
    }
  }

  private void readAll(Pair rows) {
    Object width = lockstep.call(rows, "getMetaData", NONE);
    if (width instanceof Pair meta) {
      int columns =
          Integer.parseInt(
              lockstep.call(meta, "getColumnCount", NONE).toString().replaceAll("\\D", ""));
      while ("class java.lang.Boolean true".equals(lockstep.call(rows, "next", NONE))) {
        for (int i = 1; i <= columns; i++) {
          lockstep.call(rows, "getString", types(int.class), i);
        }
      }
    }
  }

  private void ofStatement(Connected on) {
    if (on.statements.isEmpty()) {
      return;
    }
    Pair s = pick(on.statements);
    switch (random.nextInt(16)) {
      case 0 -> lockstep.call(s, "getMoreResults", NONE);
      case 1 -> lockstep.call(s, "getUpdateCount", NONE);
      case 2 -> {
        Object result = lockstep.call(s, "getResultSet", NONE);
        if (result instanceof Pair rows) {
          on.results.add(rows);
        }
      }
      case 3 -> lockstep.call(s, "setFetchSize", types(int.class), pick(List.of(0, 0, 2, -1)));
      case 4 -> lockstep.call(s, "setMaxRows", types(int.class), pick(List.of(0, 0, 3, -1)));
      case 5 -> lockstep.call(s, "setQueryTimeout", types(int.class), pick(List.of(0, 0, 100)));
      case 6 -> lockstep.call(s, "getWarnings", NONE);
      case 7 -> lockstep.call(s, "clearWarnings", NONE);
      case 8 -> lockstep.call(s, "isClosed", NONE);
      case 9 -> lockstep.call(s, "getFetchSize", NONE);
      case 10 -> lockstep.call(s, "getGeneratedKeys", NONE);
      case 11 -> lockstep.call(s, "getResultSetType", NONE);
      case 12 -> lockstep.call(s, "isCloseOnCompletion", NONE);
      case 13 -> lockstep.call(s, "getMoreResults", types(int.class), pick(List.of(1, 2, 3)));
      case 14 -> {
        if (s.type() == PreparedStatement.class) {
          lockstep.call(s, "getMetaData", NONE);
        }
      }
      default -> {
        lockstep.call(s, "close", NONE);
        if (random.nextBoolean()) {
          on.statements.remove(s);
        }
      }
    }
  }

  private static final List<Method> OF_RESULTS =
      Arrays.stream(ResultSet.class.getMethods())
          .filter(m -> !m.getName().startsWith("update") && m.getParameterCount() <= 2)
          .filter(m -> !List.of("getRef", "getNClob").contains(m.getName())) // hand out
          .filter(m -> !java.lang.reflect.Modifier.isStatic(m.getModifiers()))
          .filter(
              m ->
                  !List.of("unwrap", "isWrapperFor", "getCursorName", "getUnicodeStream")
                      .contains(m.getName()))
          .sorted(java.util.Comparator.comparing(Method::toString))
          .toList();

  private static final List<Method> OF_METADATA =
      Arrays.stream(ResultSetMetaData.class.getMethods())
          .filter(m -> !List.of("unwrap", "isWrapperFor").contains(m.getName()))
          .sorted(java.util.Comparator.comparing(Method::toString))
          .toList();

  private void ofResult(Connected on) {
    if (on.results.isEmpty()) {
      return;
    }
    Pair rows = pick(on.results);
    if (random.nextInt(4) == 0) {
      lockstep.call(rows, "next", NONE);
    } else if (random.nextInt(8) == 0) {
      Object meta = lockstep.call(rows, "getMetaData", NONE);
      if (meta instanceof Pair columns) {
        any(columns, OF_METADATA);
      }
    } else {
      any(rows, OF_RESULTS);
    }
  }

  private void any(Pair on, List<Method> methods) {
    Method method = pick(methods);
    if (method.getName().equals("close") && random.nextInt(4) > 0) {
      return;
    }
    Object[] arguments = Arrays.stream(method.getParameterTypes()).map(this::argument).toArray();
    lockstep.call(on, method, arguments);
  }

  private Object argument(Class<?> type) {
    if (type == int.class) {
      return random.nextInt(12) == 0 ? random.nextInt(30) - 2 : 1 + random.nextInt(5);
    } else if (type == String.class) {
      return pick(
          List.of(
              "id",
              "name",
              "NAME",
              "label",
              "amount",
              "at",
              "day",
              "no such",
              "How many",
              "data",
              "tags"));
    } else if (type == Calendar.class) {
      return Calendar.getInstance(TimeZone.getTimeZone(pick(List.of("UTC", "Asia/Tokyo"))));
    } else if (type == Class.class) {
      return pick(
          List.of(
              String.class,
              Integer.class,
              Long.class,
              BigDecimal.class,
              LocalDate.class,
              LocalDateTime.class,
              LocalTime.class,
              OffsetDateTime.class,
              UUID.class,
              Boolean.class,
              Double.class,
              Timestamp.class,
              Date.class,
              byte[].class,
              Instant.class,
              Object.class));
    } else if (type == Map.class) {
      return Map.of();
    } else if (type == boolean.class) {
      return random.nextBoolean();
    }
    return null;
  }

  private static Class<?>[] types(Class<?>... types) {
    return types;
  }

  private <T> T pick(List<? extends T> all) {
    return all.get(random.nextInt(all.size()));
  }
}
