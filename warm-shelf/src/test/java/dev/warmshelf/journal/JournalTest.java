package dev.warmshelf.journal;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.PooledOne;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.TestDatabase;
import dev.warmshelf.Waiting;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.base.SystemTime;
import dev.warmshelf.caller.Borrowed;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.postgres.analysis.SqlText;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.postgresql.ds.PGSimpleDataSource;

/** What the journal notes and what it costs, who keeps it awake, and what it lets be. */
class JournalTest {
  private TestDatabase database;

  @BeforeEach
  void create() throws Exception {
    database = TestDatabase.create();
  }

  private WarmShelf open() throws Exception {
    return database.shelf(3).open();
  }

  /** It knows tables and columns by their names, and may be run again by whoever runs it. */
  @Test
  void thePrintedScriptIsAMigrationOfAnotherDatabase() throws Exception {
    database.run("CREATE TABLE \"Tariff; x\" (zone text, cents int, PRIMARY KEY (zone))");
    String script =
        Journal.on(database.dataSource())
            .keeping(Duration.ofHours(2))
            .script(List.of("\"Tariff; x\":zone", "notice"));
    TestDatabase another = TestDatabase.create();
    Journal.on(another.dataSource()).remove();
    another.run("CREATE TABLE moves_oids (id int)");
    another.run("CREATE TABLE \"Tariff; x\" (added date, cents int, zone text PRIMARY KEY)");
    for (int times = 0; times < 2; times++) {
      try (Connection connection = another.dataSource().getConnection()) {
        connection.setAutoCommit(false);
        another.run(connection, "SET search_path TO pg_temp");
        another.run(connection, script);
        connection.commit();
      }
    }
    JournalStatus status = Journal.on(another.dataSource()).check();
    assertThat(status.problems()).isEmpty();
    assertThat(status.retention()).isEqualTo(Duration.ofHours(2));
    assertThat(status.tables())
        .containsEntry(Lane.ofTable("public", "Tariff; x"), Map.of("zone", ColumnKind.TEXT))
        .containsKey(Lane.ofTable("public", "notice"));
    try (WarmShelf warm = another.shelf(3).open()) {
      another.run("INSERT INTO \"Tariff; x\" VALUES ('2026-12-01', 100, 'north')");
      ShelvedQuery<Integer> cents =
          warm.query("SELECT cents FROM \"Tariff; x\" WHERE zone = :zone").as(Integer.class);
      assertThat(cents.with("zone", "north").only().value()).isEqualTo(100);
      another.run("UPDATE \"Tariff; x\" SET cents = 120");
      Waiting.untilDelivered(warm);
      assertThat(cents.with("zone", "north").only().value()).isEqualTo(120);
    }
  }

  // ---- how a look is planned

  @Test
  void aLookBesideOpenWritersReadsOnlyWhatIsNew() throws Exception {
    List<Connection> writers = new ArrayList<>();
    try (WarmShelf warm = open()) {
      for (int i = 0; i < 20; i++) {
        Connection writer = database.dataSource().getConnection();
        writers.add(writer);
        writer.setAutoCommit(false);
        try (Statement statement = writer.createStatement()) {
          statement.execute("UPDATE port SET status = status WHERE id = " + (i + 1));
        }
      }
      database.run(
          "INSERT INTO warm_shelf.journal (lane, kind, rows_before) SELECT '\"public\".\"notice\"',"
              + " 'UPDATE', '{}' FROM generate_series(1, 20000); ANALYZE warm_shelf.journal");
      Waiting.untilDelivered(warm);
    } finally {
      for (Connection writer : writers) {
        writer.close();
      }
    }
    String place = database.ask("SELECT pg_current_snapshot()");
    try (Connection connection = database.dataSource().getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("SET plan_cache_mode = force_generic_plan; SET enable_seqscan = off");
      try (PreparedStatement look =
          connection.prepareStatement("EXPLAIN (ANALYZE) " + JournalReader.LOOK)) {
        for (int i = 1; i <= 3; i++) {
          look.setString(i, place);
        }
        String plan = lines(look.executeQuery());
        assertThat(plan).doesNotContain("Seq Scan on journal");
        assertThat(plan.split("using journal_xid|on journal_xid", -1)).as(plan).hasSize(3);
        assertThat(plan).doesNotContain("Rows Removed");
      }
    }
  }

  @Test
  void moreChangesThanCanBeToldOneByOnePutEverythingOutAndTheFeedGoesOn() throws Exception {
    try (WarmShelf warm = open()) {
      ShelvedQuery<String> port = warm.query("SELECT code FROM port WHERE id = 1").as(String.class);
      Reading<String> before = port.only();
      database.run(
          "INSERT INTO warm_shelf.journal (lane, kind, rows_before) SELECT '\"public\".\"notice\"',"
              + " 'UPDATE', '{}' FROM generate_series(1, "
              + (JournalReader.MOST_ROWS + 5_000)
              + ")");
      Waiting.until("everything is invalidated", () -> !before.holdsStill());
      assertThat(warm.feedMeters().orElseThrow().losses()).isZero();
      port.only();
      database.run("UPDATE port SET code = 'NEW' WHERE id = 1");
      Waiting.untilDelivered(warm);
      assertThat(port.only().value()).isEqualTo("NEW");
    }
  }

  private static String lines(ResultSet rows) throws SQLException {
    StringBuilder all = new StringBuilder();
    while (rows.next()) {
      all.append(rows.getString(1)).append('\n');
    }
    return all.toString();
  }

  @Test
  void aWriterThatHoldsTheJournalBackIsNamed() throws Exception {
    try (Connection writer = database.dataSource().getConnection();
        Statement statement = writer.createStatement()) {
      writer.setAutoCommit(false);
      statement.execute("UPDATE port SET status = status WHERE id = 1");
      assertThat(Journal.on(database.dataSource()).check().problems()).isEmpty();
      try (Connection connection = database.dataSource().getConnection()) {
        List<FollowedTable> followed = Journal.on(database.dataSource()).followed();
        assertThat(JournalStatus.of(connection, followed, Duration.ZERO).problems())
            .singleElement()
            .asString()
            .contains("the transaction of process", "cannot be trimmed");
      }
    }
  }

  // ---- who keeps it awake

  @Test
  void nobodyNotesAnythingOnceNobodyHasReadForLong() throws Exception {
    open().close();
    String awake = database.ask("SELECT count(*) FROM warm_shelf.journal");
    database.run("UPDATE port SET status = status WHERE id = 1");
    assertThat(database.ask("SELECT count(*) FROM warm_shelf.journal")).isNotEqualTo(awake);
    sleep();
    String asleep = database.ask("SELECT count(*) FROM warm_shelf.journal");
    database.run("UPDATE port SET status = status WHERE id = 1");
    database.run("CREATE VIEW something AS SELECT 1");
    assertThat(database.ask("SELECT count(*) FROM warm_shelf.journal")).isEqualTo(asleep);
    try (WarmShelf warm = open()) {
      ShelvedQuery<String> port = warm.query("SELECT code FROM port WHERE id = 1").as(String.class);
      port.only();
      database.run("UPDATE port SET code = 'NEW' WHERE id = 1");
      Waiting.untilDelivered(warm);
      assertThat(port.only().value()).isEqualTo("NEW");
    }
  }

  /** As if the last reader had gone for longer than the retention. */
  private void sleep() throws SQLException {
    database.run("SELECT setval('warm_shelf.read_until', 1)");
  }

  @Test
  void aWriterThatFoundNobodyIsWaitedForByWhoeverComes() throws Exception {
    sleep();
    try (Connection early = database.dataSource().getConnection();
        Statement change = early.createStatement()) {
      early.setAutoCommit(false);
      change.execute("UPDATE port SET code = 'NEW' WHERE id = 1"); // and notes nothing
      try (WarmShelf warm = open();
          WarmShelf other = open()) {
        for (WarmShelf each : List.of(warm, other)) {
          ShelvedQuery<String> port =
              each.query("SELECT code FROM port WHERE id = 1").as(String.class);
          assertThat(each.feedMeters().orElseThrow().state()).isEqualTo(FeedMeters.State.LOST);
          assertThat(each.feedMeters().orElseThrow().trouble().orElseThrow()).contains("nobody");
          port.only();
          assertThat(port.only().origin()).isEqualTo(Origin.DIRECT);
        }
        early.commit();
        for (WarmShelf each : List.of(warm, other)) {
          ShelvedQuery<String> port =
              each.query("SELECT code FROM port WHERE id = 1").as(String.class);
          Waiting.until("answers are kept", () -> port.only().origin() == Origin.KEPT);
          assertThat(port.only().value()).isEqualTo("NEW");
        }
      }
    }
  }

  @Test
  void aReaderWhoseJournalSleptMeanwhileBeginsAnew() throws Exception {
    try (WarmShelf warm = open()) {
      ShelvedQuery<String> port = warm.query("SELECT code FROM port WHERE id = 1").as(String.class);
      port.only();
      try (Connection away = database.dataSource().getConnection();
          Statement lock = away.createStatement()) {
        away.setAutoCommit(false);
        lock.execute("LOCK TABLE warm_shelf.installation IN ACCESS EXCLUSIVE MODE");
        Waiting.until("the feed waits", () -> waiting().equals("1"));
        sleep();
        database.run("UPDATE port SET code = 'NEW' WHERE id = 1"); // nobody notes it
        away.commit();
        database.run("BEGIN; SELECT warm_shelf.reader_is_here(); COMMIT"); // another reader came
      }
      Waiting.until(
          "everything is invalidated", () -> warm.feedMeters().orElseThrow().resets() > 0);
      Waiting.untilDelivered(warm);
      assertThat(port.only().value()).isEqualTo("NEW");
    }
  }

  private String waiting() throws SQLException {
    return database.ask(
        "SELECT count(*) FROM pg_stat_activity WHERE wait_event_type = 'Lock'"
            + " AND datname = current_database()");
  }

  @Test
  void noWriterEverTrims() throws Exception {
    assertThat(
            database.ask(
                "SELECT count(*) FROM pg_proc WHERE pronamespace = 'warm_shelf'::regnamespace"
                    + " AND proname LIKE 'note%' AND (prosrc ~* 'delete' AND prosrc ~* 'trim')"))
        .isEqualTo("0");
  }

  @Test
  void aRoleWhoseTransactionsAreReadOnlyFollowsAndTrims() throws Exception {
    PGSimpleDataSource source = database.postgres();
    source.setOptions("-c default_transaction_read_only=on");
    try (SystemTime time = SystemTime.start();
        JournalReader reader = JournalReader.open(source, time)) {
      database.run("UPDATE port SET code = 'NEW' WHERE id = 1");
      assertThat(reader.look().changes()).isNotEmpty();
      reader.taken();
      long trimmed =
          reader.aside(
              connection -> {
                try (Statement statement = connection.createStatement();
                    ResultSet row = statement.executeQuery("SELECT warm_shelf.trim_journal()")) {
                  row.next();
                  return row.getLong(1);
                }
              });
      assertThat(trimmed).isZero();
      assertThat(reader.look().changes()).isEmpty();
    }
  }

  // ---- the connection

  @Test
  void aConnectionGoesBackAsItCame() throws Exception {
    try (Connection only = database.dataSource().getConnection()) {
      only.setAutoCommit(false);
      only.setNetworkTimeout(Runnable::run, 77_000);
      try (Statement statement = only.createStatement()) {
        statement.execute("SET enable_seqscan = on; SET statement_timeout = '9s'");
      }
      only.commit();
      Borrowed borrowed =
          Borrowed.from(PooledOne.of(only))
              .autoCommit(true)
              .networkTimeout(5_000)
              .setting("statement_timeout", "1s")
              .setting("enable_seqscan", "off");
      borrowed.close();
      assertThat(only.getAutoCommit()).isFalse();
      assertThat(only.getNetworkTimeout()).isEqualTo(77_000);
      try (Statement statement = only.createStatement();
          ResultSet row =
              statement.executeQuery(
                  "SELECT current_setting('statement_timeout') || current_setting('enable_seqscan')"
                      + " || current_setting('plan_cache_mode')")) {
        row.next();
        assertThat(row.getString(1)).isEqualTo("9sonauto");
      }
      // The reader, too, whose connection was in a pool before.
      try (SystemTime time = SystemTime.start()) {
        only.setAutoCommit(true);
        JournalReader.open(PooledOne.of(only), time).close();
      }
      assertThat(only.getNetworkTimeout()).isEqualTo(77_000);
      assertThat(only.isClosed()).isFalse();
    }
  }

  // ---- what it tells

  @Test
  void aDayIsTheSameInEveryTimeZone() throws Exception {
    database.run(
        "CREATE TABLE tide (day date, height int); INSERT INTO tide VALUES ('2011-12-30', 1)");
    Journal.on(database.dataSource()).install(List.of("tide:day"));
    try (WarmShelf warm = open()) {
      ShelvedQuery<Integer> tide =
          warm.query("SELECT height FROM tide WHERE day = :day").as(Integer.class);
      LocalDate skipped = LocalDate.of(2011, 12, 30); // in Samoa there was no such day
      tide.with("day", skipped).only();
      for (String zone : List.of("Pacific/Apia", "America/New_York", "Asia/Tokyo")) {
        database.run("SET TimeZone = '" + zone + "'; UPDATE tide SET height = height + 1");
        Waiting.untilDelivered(warm);
        Reading<Integer> reading = tide.with("day", skipped).only();
        assertThat(reading.origin()).as(zone).isEqualTo(Origin.LOADED);
        assertThat(reading.lanes().toString()).contains("day=2011-12-30");
      }
      assertThat(tide.with("day", skipped).only().value()).isEqualTo(4);
    }
  }

  @Test
  void tablesWhoseNamesLookAlikeAreFollowedEachForItself() throws Exception {
    database.run(
        "CREATE SCHEMA \"a.b\"; CREATE TABLE \"a.b\".c AS SELECT 1 AS x; CREATE SCHEMA a;"
            + "CREATE TABLE a.\"b.c\" AS SELECT 1 AS x");
    Journal.on(database.dataSource()).install(List.of("\"a.b\".c"));
    try (WarmShelf warm = open()) {
      ShelvedQuery<Integer> followed = warm.query("SELECT x FROM \"a.b\".c").as(Integer.class);
      ShelvedQuery<Integer> other = warm.query("SELECT x FROM a.\"b.c\"").as(Integer.class);
      followed.only();
      assertThat(followed.only().origin()).isEqualTo(Origin.KEPT);
      assertThat(other.only().bypass()).hasValueSatisfying(w -> assertThat(w).contains("\"b.c\""));
    }
  }

  @Tag("thorough")
  @Test
  void aTableMayHaveAnyName() throws Exception {
    List<String> names =
        List.of(
            "it's",
            "say \"hi\"",
            "a;b",
            "a\rDROP SCHEMA warm_shelf CASCADE; --",
            "two\nlines",
            "$function$",
            "$body$",
            "$body",
            "$body0$ $body$",
            "back\\slash",
            "\\'; --",
            "tab\there",
            "100%",
            "%1$s %s",
            "日本語",
            "Ω≈ç√",
            "emoji🚢",
            "a.b",
            "{fn now()}",
            "?",
            ":name",
            "/* c */",
            "-- c",
            "x".repeat(63),
            "é".repeat(31),
            " blank ",
            "*/",
            "E'\\n'",
            "select",
            "\u0001bell");
    List<String> tables = new ArrayList<>();
    for (String name : names) {
      String quoted = SqlText.identifier(name);
      try (Connection connection = database.dataSource().getConnection();
          Statement statement = connection.createStatement()) {
        statement.setEscapeProcessing(false);
        statement.execute("CREATE SCHEMA " + quoted);
        statement.execute(
            "CREATE TABLE " + SqlText.identifier(name, name) + " (" + quoted + " text, n int)");
      }
      tables.add(SqlText.identifier(name, name) + ":" + quoted + ",n");
    }
    for (String conforming : List.of("on", "off")) {
      PGSimpleDataSource source = database.postgres();
      source.setOptions("-c standard_conforming_strings=" + conforming);
      Journal journal = Journal.on(source);
      journal.install(tables);
      assertThat(journal.covered())
          .containsAll(
              names.stream().map(name -> Lane.ofTable(name, name)).collect(Collectors.toList()));
      assertThat(journal.check().problems()).isEmpty();
      journal.upgrade();
    }
    try (SystemTime time = SystemTime.start();
        JournalReader reader = JournalReader.open(database.dataSource(), time)) {
      Coverage coverage = reader.aside(Coverage::ask);
      reader.reading(coverage::madeWith);
      for (String name : names) {
        database.run("INSERT INTO " + SqlText.identifier(name, name) + " VALUES ('v', 7)");
        assertThat(reader.look().changes())
            .singleElement()
            .satisfies(
                change -> {
                  assertThat(change.table()).isEqualTo(Lane.ofTable(name, name));
                  assertThat(change.groups().orElseThrow()).containsExactly(name + "=v", "n=7");
                });
        reader.taken();
      }
    }
    Journal.on(database.dataSource()).remove();
    assertThat(database.ask("SELECT count(*) FROM pg_trigger WHERE tgname LIKE 'warm%'"))
        .isEqualTo("0");
  }

  /** Its plan looks so dear, with scans forbidden, that a server which can would compile it. */
  @Test
  void aLookIsNotCompiled() throws Exception {
    TestDatabase database = TestDatabase.create();
    database.run("ALTER DATABASE " + database.ask("SELECT current_database()") + " SET jit = on");
    try (SystemTime time = SystemTime.start();
        JournalReader reader = JournalReader.open(database.dataSource(), time)) {
      String jit =
          reader.aside(
              connection -> {
                try (Statement statement = connection.createStatement();
                    ResultSet row = statement.executeQuery("SHOW jit")) {
                  row.next();
                  return row.getString(1);
                }
              });
      assertThat(jit).isEqualTo("off");
    }
    assertThat(database.ask("SHOW jit")).isEqualTo("on");
  }

  @Test
  void unloggedTablesAreNeitherFollowedNorKept() throws Exception {
    database.run("CREATE UNLOGGED TABLE draft AS SELECT 1 AS x");
    assertThatThrownBy(() -> Journal.on(database.dataSource()).install(List.of("draft")))
        .hasMessageContaining("'draft'")
        .hasMessageContaining("crash");
    try (WarmShelf warm = open();
        WarmShelf alone = WarmShelf.over(database.dataSource()).onTtlAlone().open()) {
      assertThat(alone.query("SELECT x FROM draft").as(Integer.class).only().bypass())
          .hasValueSatisfying(why -> assertThat(why).contains("unlogged"));
      ShelvedQuery<Long> notices = warm.query("SELECT count(*) FROM notice").as(Long.class);
      notices.only();
      assertThat(notices.only().origin()).isEqualTo(Origin.KEPT);
      database.run("ALTER TABLE notice SET UNLOGGED");
      Waiting.untilDelivered(warm);
      assertThat(notices.only().origin()).isEqualTo(Origin.DIRECT);
    }
  }

  // ---- what it lets be

  @Tag("thorough")
  @ParameterizedTest
  @ValueSource(
      strings = {
        "CREATE TEMP TABLE t (id int PRIMARY KEY DEFAULT 5 CHECK (id > 0)); DROP TABLE t",
        "CREATE TEMP TABLE t (id serial); CREATE INDEX ON t (id); DROP TABLE t",
        "CREATE TEMP VIEW v AS SELECT 1; DROP VIEW v",
        "CREATE TEMP TABLE t AS SELECT 1 AS x; CREATE RULE r AS ON INSERT TO t DO NOTHING;"
            + " ALTER TABLE t ADD y int; DROP TABLE t",
        "REINDEX TABLE port",
        "CREATE INDEX ON notice (severity); DROP INDEX notice_severity_idx",
        "ALTER DEFAULT PRIVILEGES GRANT SELECT ON TABLES TO PUBLIC",
        "COMMENT ON TABLE port IS 'quay'",
        "CREATE SEQUENCE s; ALTER SEQUENCE s CYCLE; DROP SEQUENCE s",
        "CREATE STATISTICS st ON id, code FROM port; DROP STATISTICS st",
        "CREATE PUBLICATION p FOR TABLE port; DROP PUBLICATION p",
        "ANALYZE port; VACUUM notice",
      })
  void whatChangesNoAnswerPutsNothingOut(String statements) throws Exception {
    try (WarmShelf warm = open()) {
      ShelvedQuery<Long> ports = warm.query("SELECT count(*) FROM port").as(Long.class);
      ports.only();
      for (String each :
          statements.contains("VACUUM") ? statements.split(";") : new String[] {statements}) {
        database.run(each);
      }
      Waiting.untilDelivered(warm);
      assertThat(ports.only().origin()).isEqualTo(Origin.KEPT);
    }
  }
}
