package dev.warmshelf.journal;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.TestDatabase;
import dev.warmshelf.Waiting;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.spi.feed.FeedException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.List;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.postgresql.ds.PGSimpleDataSource;

/** The situations of docs/freshness.md, on a real PostgreSQL. */
class JournalFeedTest {
  private TestDatabase database;
  private WarmShelf warm;

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create();
    warm = database.shelf(5).open();
  }

  @AfterEach
  void close() {
    warm.close();
  }

  @Test
  void aLoadThatBeganBeforeACommitAndFillsAfterItIsNotServed() throws Exception {
    // The load reads port 1, then waits for a lock that the test holds until the change is in.
    database.run(
        "CREATE FUNCTION wait_for_test(int) RETURNS int IMMUTABLE LANGUAGE plpgsql AS"
            + " 'BEGIN PERFORM pg_advisory_lock(7); PERFORM pg_advisory_unlock(7); RETURN 0; END'");
    ShelvedQuery<String> slow =
        warm.query("SELECT code FROM port WHERE id = :id AND wait_for_test(id) = 0")
            .as(String.class);
    String old = database.ask("SELECT code FROM port WHERE id = 1");
    ExecutorService pool = Executors.newSingleThreadExecutor();
    try (Connection holder = database.dataSource().getConnection();
        Statement lock = holder.createStatement()) {
      lock.execute("SELECT pg_advisory_lock(7)");
      Future<Reading<String>> loading = pool.submit(() -> slow.with("id", 1).only());
      Waiting.until(
          "the load waits for the lock",
          () ->
              database
                  .ask("SELECT count(*) FROM pg_locks WHERE locktype = 'advisory' AND NOT granted")
                  .equals("1"));
      database.run("UPDATE port SET code = 'NEW' WHERE id = 1");
      Waiting.untilDelivered(warm);
      lock.execute("SELECT pg_advisory_unlock(7)");
      assertThat(loading.get().value()).isEqualTo(old);
      assertThat(loading.get().holdsStill()).isFalse();
    } finally {
      pool.shutdownNow();
    }
    assertThat(slow.with("id", 1).only().value()).isEqualTo("NEW");
  }

  @Test
  void changesArriveThoughTransactionsCommitInAnotherOrderThanTheyWrite() throws Exception {
    ShelvedQuery<String> port = warm.query("SELECT code FROM port WHERE id = 1").as(String.class);
    ShelvedQuery<Long> notices = warm.query("SELECT count(*) FROM notice").as(Long.class);
    try (Connection early = database.dataSource().getConnection();
        Statement first = early.createStatement()) {
      early.setAutoCommit(false);
      first.execute("UPDATE port SET code = 'NEW' WHERE id = 1"); // its journal row comes first
      database.run("DELETE FROM notice WHERE id = 1"); // written later, committed earlier
      Waiting.untilDelivered(warm);
      assertThat(notices.only().value()).isEqualTo(2_999);
      String old = port.only().value();
      for (int i = 0; i < 50; i++) { // a long gap, with polls and other commits in it
        database.run("UPDATE notice SET version = version + 1 WHERE id = 2");
        Waiting.untilDelivered(warm);
      }
      assertThat(port.only().value()).isEqualTo(old);
      assertThat(port.only().origin()).isEqualTo(Origin.KEPT);
      early.commit();
    }
    Waiting.untilDelivered(warm);
    assertThat(port.only().value()).isEqualTo("NEW");
  }

  @Test
  void aRowThatMovesPutsOutBothPlaces() throws Exception { // with whole tables as lanes
    ShelvedQuery<Long> count =
        warm.query("SELECT count(*) FROM sailing WHERE day = :day").as(Long.class);
    java.time.LocalDate first = dev.warmshelf.scenario.Scale.FIRST_DAY;
    count.with("day", first).only();
    count.with("day", first.plusDays(1)).only();
    database.run("UPDATE sailing SET day = day + 1 WHERE id = 1");
    Waiting.untilDelivered(warm);
    assertThat(count.with("day", first).only().value()).isEqualTo(999);
    assertThat(count.with("day", first.plusDays(1)).only().value()).isEqualTo(1_001);
  }

  @Test
  void aRollbackPutsNothingOut() throws Exception {
    ShelvedQuery<String> port = warm.query("SELECT code FROM port WHERE id = 1").as(String.class);
    port.only();
    try (Connection connection = database.dataSource().getConnection();
        Statement statement = connection.createStatement()) {
      connection.setAutoCommit(false);
      statement.execute("UPDATE port SET code = 'NEW' WHERE id = 1");
      connection.rollback();
    }
    Waiting.untilDelivered(warm);
    assertThat(port.only().origin()).isEqualTo(Origin.KEPT);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "DELETE FROM sailing WHERE id = (SELECT min(sailing_id) FROM booking)", // cascades
        "INSERT INTO booking_2026_05 (sailing_id, agent_id, metres, seats, cents, status, booked_at)"
            + " VALUES (1, 1, 1, 1, 1, 'HELD', '2026-05-03Z')", // a partition written directly
        "UPDATE booking SET booked_at = '2026-04-03Z' WHERE id = 1", // moves between partitions
        "TRUNCATE booking",
        "TRUNCATE booking_2026_05",
        "COPY booking (sailing_id, agent_id, metres, seats, cents, status, booked_at)"
            + " FROM PROGRAM 'printf \"1\\t1\\t1\\t1\\t1\\tHELD\\t2026-05-03Z\\n\"'",
        "MERGE INTO booking b USING (VALUES (1)) v(id) ON b.id = v.id"
            + " WHEN MATCHED THEN UPDATE SET seats = 9",
        "INSERT INTO booking SELECT * FROM booking WHERE id = 1"
            + " ON CONFLICT (id, booked_at) DO UPDATE SET seats = 9",
        "SET session_replication_role = replica; DELETE FROM booking WHERE id = 1",
      })
  void whateverChangesATableIsDelivered(String change) throws Exception {
    String sql = "SELECT count(DISTINCT booked_at) + coalesce(sum(seats), 0) FROM booking";
    ShelvedQuery<Long> bookings = warm.query(sql).as(Long.class);
    bookings.only();
    assertThat(bookings.only().origin()).isEqualTo(Origin.KEPT);
    database.run(change);
    Waiting.untilDelivered(warm);
    Reading<Long> after = bookings.only();
    assertThat(after.origin()).isEqualTo(Origin.LOADED);
    assertThat(after.value()).isEqualTo(Long.parseLong(database.ask(sql)));
  }

  @Test
  void aFeedWhoseConnectionIsCutGoesOnFromItsPlace() throws Exception { // journal intact
    ShelvedQuery<String> port = warm.query("SELECT code FROM port WHERE id = 1").as(String.class);
    for (int round = 0; round < 5; round++) {
      port.only();
      database.run(
          "SELECT pg_terminate_backend(pid) FROM pg_stat_activity"
              + " WHERE query LIKE '%warm_shelf.journal%' AND pid <> pg_backend_pid()"
              + " AND datname = current_database()");
      database.run("UPDATE port SET code = 'N" + round + "' WHERE id = 1");
      Waiting.untilDelivered(warm);
      assertThat(port.only().value()).isEqualTo("N" + round);
    }
  }

  @Test
  void aJournalThatWasInstalledAnewPutsEverythingOut() throws Exception { // place lost
    ShelvedQuery<String> port = warm.query("SELECT code FROM port WHERE id = 1").as(String.class);
    port.only();
    Journal journal = Journal.on(database.dataSource());
    journal.remove();
    assertThat(journal.covered()).isEmpty();
    database.run("UPDATE port SET code = 'NEW' WHERE id = 1"); // nobody notes it
    journal.install(SkerryLine.FOLLOWED);
    Waiting.untilDelivered(warm);
    assertThat(port.only().value()).isEqualTo("NEW");
  }

  @Test
  void changesOfTheSchemaAreNoticed() throws Exception {
    ShelvedQuery<Long> open = warm.query("SELECT count(*) FROM open_sailing").as(Long.class);
    assertThat(open.verdict().toString()).contains("public.sailing");
    open.only();
    database.run("CREATE TEMP TABLE scratch (id int); CREATE INDEX ON notice (severity)");
    Waiting.untilDelivered(warm);
    assertThat(open.only().origin()).isEqualTo(Origin.KEPT);
    database.run(
        "DROP VIEW open_sailing; CREATE VIEW open_sailing AS SELECT id FROM port WHERE id < 4");
    Waiting.untilDelivered(warm);
    assertThat(open.verdict().toString()).contains("public.port");
    assertThat(open.only().value()).isEqualTo(3);
    database.run("INSERT INTO port VALUES (0, 'ZZ0', 'Nowhere', 'Norra', 'OPEN')");
    Waiting.untilDelivered(warm);
    assertThat(open.only().value()).isEqualTo(4);
  }

  @Test
  void aTableWhoseTriggerIsGoneIsKeptNoLonger() throws Exception {
    ShelvedQuery<Long> bookings = warm.query("SELECT count(*) FROM booking").as(Long.class);
    bookings.only();
    assertThat(bookings.only().origin()).isEqualTo(Origin.KEPT);
    database.run(
        "CREATE TABLE booking_2030 PARTITION OF booking"
            + " FOR VALUES FROM ('2030-01-01Z') TO ('2031-01-01Z')"); // nobody notes what goes
    // there
    Waiting.untilDelivered(warm);
    assertThat(bookings.only().origin()).isEqualTo(Origin.DIRECT);
    Journal.on(database.dataSource()).install(List.of("booking"));
    Waiting.until("booking is followed again", () -> bookings.only().origin() == Origin.KEPT);
    database.run("DROP TRIGGER warm_shelf_insert ON booking");
    Waiting.untilDelivered(warm);
    assertThat(bookings.only().bypass()).hasValueSatisfying(w -> assertThat(w).contains("booking"));
  }

  @Test
  void aReaderThatListensIsWokenLongBeforeItWouldLook() throws Exception {
    Journal.on(database.dataSource()).wakingReaders().install(List.of("port"));
    Duration slow = Duration.ofMinutes(10);
    try (WarmShelf listening =
        WarmShelf.over(database.dataSource())
            .following(JournalFeed.on(database.dataSource()).polling(slow).listening())
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy.tolerating(slow.multipliedBy(9)))
            .open()) {
      ShelvedQuery<String> port =
          listening.query("SELECT code FROM port WHERE id = 1").as(String.class);
      Reading<String> before = port.only();
      database.run("UPDATE port SET code = 'NEW' WHERE id = 1");
      Waiting.until("the notification arrives", () -> !before.holdsStill());
      assertThat(port.only().value()).isEqualTo("NEW");
      // An own write hurries the reader, and does not wait for it to wake by itself.
      listening.write("UPDATE port SET code = 'OWN' WHERE id = 1").run();
      assertThat(port.only().value()).isEqualTo("OWN");
    }
  }

  @Test
  void aReaderWhosePlaceWasTrimmedStartsAnew() throws Exception { // journal trimmed
    ShelvedQuery<String> port = warm.query("SELECT code FROM port WHERE id = 1").as(String.class);
    port.only();
    try (Connection away = database.dataSource().getConnection();
        Statement lock = away.createStatement()) {
      away.setAutoCommit(false);
      // The reader cannot look while its change is written, grows old and is trimmed.
      lock.execute("LOCK TABLE warm_shelf.installation IN ACCESS EXCLUSIVE MODE");
      Waiting.until(
          "the feed waits",
          () ->
              database
                  .ask(
                      "SELECT count(*) FROM pg_stat_activity WHERE wait_event_type = 'Lock'"
                          + " AND datname = current_database()")
                  .equals("1"));
      database.run("UPDATE port SET code = 'NEW' WHERE id = 1");
      database.run("UPDATE warm_shelf.journal SET at = at - interval '1 day'");
      lock.execute("SELECT 1"); // a new snapshot, in which that update has ended
      lock.execute("DELETE FROM warm_shelf.journal");
      lock.execute(
          "UPDATE warm_shelf.installation"
              + " SET trimmed_through = pg_snapshot_xmax(pg_current_snapshot())");
      away.commit();
    }
    Waiting.untilDelivered(warm);
    assertThat(port.only().value()).isEqualTo("NEW");
  }

  @Test
  void trimmingForgetsOldRowsAndNothingThatALiveReaderNeeds() throws Exception {
    ShelvedQuery<String> port = warm.query("SELECT code FROM port WHERE id = 1").as(String.class);
    try (Connection open = database.dataSource().getConnection();
        Statement change = open.createStatement()) {
      open.setAutoCommit(false);
      database.run("DELETE FROM warm_shelf.journal"); // what the installation noted of itself
      database.run("UPDATE notice SET version = 2 WHERE id = 1"); // old, and passed by all
      Waiting.untilDelivered(warm);
      change.execute("UPDATE port SET code = 'NEW' WHERE id = 1"); // still open
      database.run("DELETE FROM warm_shelf.mark; SELECT warm_shelf.trim_journal()");
      assertThat(database.ask("SELECT count(*) FROM warm_shelf.journal")).isEqualTo("1");
      anHourPasses();
      database.run("SELECT warm_shelf.trim_journal()");
      assertThat(database.ask("SELECT count(*) FROM warm_shelf.journal")).isEqualTo("0");
      port.only();
      open.commit();
    }
    // Its row is as old as the one that is gone; but its transaction has only just ended.
    database.run("SELECT warm_shelf.trim_journal()");
    Waiting.untilDelivered(warm);
    assertThat(port.only().value()).isEqualTo("NEW");
    assertThat(database.ask("SELECT count(*) FROM warm_shelf.journal")).isEqualTo("1");
    anHourPasses();
    database.run("SELECT warm_shelf.trim_journal()");
    anHourPasses();
    database.run("SELECT warm_shelf.trim_journal()");
    assertThat(database.ask("SELECT count(*) FROM warm_shelf.journal")).isEqualTo("0");
  }

  private void anHourPasses() throws SQLException {
    database.run(
        "UPDATE warm_shelf.mark SET at = at - interval '61 minutes';"
            + " UPDATE warm_shelf.journal SET at = at - interval '61 minutes'");
  }

  @Test
  void installingIsRepeatableAndRemovingLeavesNothingBehind() throws Exception {
    Journal journal = Journal.on(database.dataSource());
    journal.install(SkerryLine.FOLLOWED);
    assertThat(journal.covered())
        .hasSize(SkerryLine.TABLES.size())
        .contains(Lane.ofTable("public", "booking"));
    assertThat(journal.script(List.of("booking")))
        .contains("ON \"public\".\"booking_2026_05\"")
        .contains("'\"public\".\"booking\"'");
    database.run("DROP TRIGGER warm_shelf_delete ON booking_2026_05");
    assertThat(journal.covered()).doesNotContain(Lane.ofTable("public", "booking"));
    journal.remove();
    journal.remove();
    assertThat(database.ask("SELECT count(*) FROM pg_trigger WHERE tgname LIKE 'warm%'"))
        .isEqualTo("0");
    assertThat(database.ask("SELECT count(*) FROM pg_event_trigger")).isEqualTo("0");
    assertThat(database.ask("SELECT count(*) FROM pg_namespace WHERE nspname = 'warm_shelf'"))
        .isEqualTo("0");
  }

  @Test
  void anInstallationOfTheFirstVersionIsNamedAndUpgraded() throws Exception {
    Journal journal = Journal.on(database.dataSource());
    journal.remove();
    // What the first version left: one trigger a table, and a journal without groups.
    database.run(
        "CREATE SCHEMA warm_shelf;"
            + "CREATE TABLE warm_shelf.journal (xid xid8 NOT NULL DEFAULT pg_current_xact_id(),"
            + " lane text NOT NULL, kind text NOT NULL,"
            + " at timestamptz NOT NULL DEFAULT clock_timestamp());"
            + "CREATE TABLE warm_shelf.installation (name uuid NOT NULL,"
            + " trimmed_through xid8 NOT NULL DEFAULT '0');"
            + "INSERT INTO warm_shelf.installation VALUES (gen_random_uuid());"
            + "CREATE FUNCTION warm_shelf.note_change() RETURNS trigger LANGUAGE plpgsql AS"
            + " 'BEGIN INSERT INTO warm_shelf.journal (lane, kind) VALUES (TG_ARGV[0], TG_OP);"
            + " RETURN NULL; END';"
            + "CREATE TRIGGER warm_shelf_change AFTER INSERT OR UPDATE OR DELETE OR TRUNCATE"
            + " ON port FOR EACH STATEMENT EXECUTE FUNCTION"
            + " warm_shelf.note_change('public.port')");
    assertThatThrownBy(
            () ->
                WarmShelf.over(database.dataSource())
                    .following(JournalFeed.on(database.dataSource()))
                    .open())
        .isInstanceOf(FeedException.class)
        .hasMessageContaining("shelf feed upgrade");
    journal.upgrade();
    assertThat(journal.covered()).containsExactly(Lane.ofTable("public", "port"));
    assertThat(journal.check().problems()).isEmpty();
    assertThat(database.ask("SELECT count(*) FROM pg_trigger WHERE tgname = 'warm_shelf_change'"))
        .isEqualTo("0");
  }

  @Test
  void anUpgradeLeavesEachTableWakingReadersOrNot() throws Exception {
    Journal journal = Journal.on(database.dataSource());
    journal.wakingReaders().install(List.of("notice"));
    journal.install(List.of("port"));
    String waking =
        "SELECT string_agg(DISTINCT tgrelid::regclass::text, ' ') FROM pg_trigger"
            + " WHERE tgname LIKE 'warm_shelf%' AND tgrelid IN ('port'::regclass,"
            + " 'notice'::regclass)"
            + " AND pg_get_functiondef(tgfoid) LIKE '%pg_notify(%'";
    assertThat(database.ask(waking)).isEqualTo("notice");
    journal.upgrade();
    assertThat(database.ask(waking)).isEqualTo("notice");
  }

  @Test
  void installingAgainLocksNothingThatAReaderOrAWriterOfTheJournalNeeds() throws Exception {
    try (Connection busy = database.dataSource().getConnection();
        Statement statement = busy.createStatement()) {
      busy.setAutoCommit(false);
      statement.execute("UPDATE notice SET version = 7 WHERE id = 1"); // and its row of the journal
      Journal.on(database.dataSource()).install(List.of("port"));
      busy.commit();
    }
  }

  @Test
  void rolesWithoutRightsOnTheJournalAreNotedAndCannotForgeIt() throws Exception {
    database.run(
        "DO $$ BEGIN CREATE ROLE clerk; EXCEPTION WHEN duplicate_object THEN NULL; END $$;"
            + "GRANT SELECT, UPDATE ON port TO clerk");
    ShelvedQuery<String> port = warm.query("SELECT code FROM port WHERE id = 1").as(String.class);
    port.only();
    database.run("SET ROLE clerk; UPDATE port SET code = 'NEW' WHERE id = 1");
    Waiting.untilDelivered(warm);
    assertThat(port.only().value()).isEqualTo("NEW");
    assertThatThrownBy(
            () ->
                database.run(
                    "SET ROLE clerk; INSERT INTO warm_shelf.journal VALUES ('1', 'x', 'y')"))
        .isInstanceOf(SQLException.class)
        .hasMessageContaining("permission denied");
  }

  @Test
  void theRightsThatTheDocumentsNameAreEnoughToFollow() throws Exception {
    database.run(
        "DO $$ BEGIN CREATE ROLE follower "
            + LocalPostgres.login()
            + "; EXCEPTION WHEN duplicate_object THEN NULL; END $$;"
            + "GRANT SELECT ON port TO follower");
    String page = Files.readString(Path.of("../docs/freshness.md"));
    int grants = page.indexOf("GRANT USAGE");
    database.run(
        page.substring(grants, page.indexOf("```", grants)).replace("TO app", "TO follower"));
    PGSimpleDataSource source = database.postgres();
    source.setUser("follower");
    try (WarmShelf theirs = WarmShelf.over(source).following(JournalFeed.on(source)).open()) {
      ShelvedQuery<String> port =
          theirs.query("SELECT code FROM port WHERE id = 1").as(String.class);
      port.only();
      assertThat(port.only().origin()).isEqualTo(Origin.KEPT);
      database.run("UPDATE port SET code = 'NEW' WHERE id = 1");
      Waiting.untilDelivered(theirs);
      assertThat(port.only().value()).isEqualTo("NEW");
    }
    try (Connection connection = source.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("SELECT warm_shelf.trim_journal()");
    }
  }

  @Test
  void aMissingJournalAndAWrongTableAreNamed() throws Exception {
    Journal journal = Journal.on(database.dataSource());
    assertThatThrownBy(() -> journal.install(List.of("nowhere"))).hasMessageContaining("'nowhere'");
    assertThatThrownBy(() -> journal.install(List.of("open_sailing")))
        .hasMessageContaining("not a table");
    assertThatThrownBy(() -> journal.install(List.of("booking_2026_05")))
        .hasMessageContaining("partition");
    journal.remove();
    assertThatThrownBy(
            () ->
                WarmShelf.over(database.dataSource())
                    .following(JournalFeed.on(database.dataSource()))
                    .open())
        .isInstanceOf(FeedException.class)
        .hasMessageContaining("not installed");
  }
}
