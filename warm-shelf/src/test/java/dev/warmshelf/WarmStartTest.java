package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.shelf.WarmStart;
import dev.warmshelf.spi.feed.Clearing;
import dev.warmshelf.spi.feed.Clearing.What;
import dev.warmshelf.statement.SqlStatement;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.function.UnaryOperator;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Answers that outlive the process, and what happens meanwhile. */
class WarmStartTest {
  private static final String PORTS = "SELECT name FROM port WHERE island = :island ORDER BY id";
  private static final String AGENT = "SELECT office FROM agent WHERE id = :id";

  @TempDir private Path directory;
  private Path file;
  private TestDatabase database;

  @BeforeEach
  void create() throws Exception {
    database = TestDatabase.create();
    file = directory.resolve("answers");
  }

  private WarmShelf open() throws Exception {
    return open(policy -> policy);
  }

  private WarmShelf open(UnaryOperator<Policy> adjust) throws Exception {
    return database
        .shelf(5)
        .warmStart(WarmStart.from(file))
        .shelf("main", adjust)
        .keeping(Rule.ofTablesAmong("port"))
        .open();
  }

  private static Reading<List<String>> ports(WarmShelf warm) throws SQLException {
    return warm.query(PORTS).tagged("boards").as(String.class).with("island", "Norra").list();
  }

  private static Reading<List<String>> agent(WarmShelf warm) throws SQLException {
    return warm.query(AGENT).as(String.class).with("id", 1).list();
  }

  /** The first column, read directly. */
  private List<String> names(String sql) throws SQLException {
    List<String> names = new java.util.ArrayList<>();
    try (Connection connection = database.dataSource().getConnection();
        ResultSet rows = connection.createStatement().executeQuery(sql)) {
      while (rows.next()) {
        names.add(rows.getString(1));
      }
    }
    return names;
  }

  private interface Work {
    void run() throws Exception;
  }

  /** Where the next process has the answers from that this one kept: of the ports, of the agent. */
  private String afterARestart(Work meanwhile) throws Exception {
    try (WarmShelf warm = open()) {
      ports(warm);
      agent(warm);
      warm.close(); // and once more, at the end: what is written stays written
    }
    meanwhile.run();
    try (WarmShelf warm = open()) {
      Reading<List<String>> ports = ports(warm);
      Reading<List<String>> agent = agent(warm);
      assertThat(ports.value()).isEqualTo(names(PORTS.replace(":island", "'Norra'")));
      assertThat(agent.value()).isEqualTo(names(AGENT.replace(":id", "1")));
      return ports.origin() + " " + agent.origin();
    }
  }

  /** A name that two processes give their sessions says nothing of what those are like. */
  @Test
  void whatWasReadInAnotherSessionIsNotServedByAnyName() throws Exception {
    String moment = "SELECT leaves_at FROM sailing WHERE id = 1";
    for (boolean named : new boolean[] {false, true}) {
      Files.deleteIfExists(file);
      String[] zone = {"UTC"};
      javax.sql.DataSource source = org.mockito.Mockito.mock();
      org.mockito.Mockito.when(source.getConnection())
          .then(
              call -> {
                Connection connection = database.dataSource().getConnection();
                connection.createStatement().execute("SET TimeZone TO '" + zone[0] + "'");
                return connection;
              });
      for (String now : List.of("UTC", "UTC", "Asia/Tokyo")) {
        zone[0] = named ? "UTC" : now; // as it is opened nobody has named it
        WarmShelf.Builder builder =
            WarmShelf.over(source)
                .following(JournalFeed.on(database.dataSource()))
                .warmStart(WarmStart.from(file));
        try (WarmShelf warm = (named ? builder.sessionsNamed(() -> "ours") : builder).open()) {
          zone[0] = now;
          Origin origin = warm.query(moment).asLists().question().list().origin();
          assertThat(origin).as("%s, named %s", now, named).isIn(Origin.KEPT, Origin.LOADED);
          if (now.equals("Asia/Tokyo")) {
            assertThat(origin).as("named %s", named).isEqualTo(Origin.LOADED);
          }
        }
      }
    }
  }

  @Test
  void whatIsStillTrueIsServedFromTheFirstQuestionOn() throws Exception {
    assertThat(afterARestart(() -> {})).isEqualTo("KEPT KEPT");
    try (WarmShelf warm = open()) {
      Reading<List<String>> reading = ports(warm);
      assertThat(reading.age()).isPositive();
      assertThat(reading.freshAsOf()).isNotNull();
      assertThat(reading.holdsStill()).isTrue();
      assertThat(warm.shelf("main").meters().snapshot().get(Count.RESTORED)).isEqualTo(1);
      assertThat(warm.shelf("main").meters().snapshot().databaseReads()).isZero();
      database.run("UPDATE port SET name = name || '.' WHERE island = 'Norra'");
      Waiting.untilDelivered(warm);
      assertThat(ports(warm).origin()).isNotEqualTo(Origin.KEPT);
    }
  }

  @Test
  void whatHasChangedMeanwhileIsLoadedAndTheRestIsServed() throws Exception {
    assertThat(afterARestart(() -> database.run("UPDATE port SET name = name || '!'")))
        .isEqualTo("LOADED KEPT");
    assertThat(afterARestart(() -> database.run("UPDATE agent SET office = 'x' WHERE id = 1")))
        .isEqualTo("KEPT LOADED");
    assertThat(afterARestart(() -> database.run("UPDATE agent SET commission = 0 WHERE id = 1")))
        .isEqualTo("KEPT REVIVED"); // a column that is not read
  }

  /** A transaction that was open when the file was written, and commits after it. */
  @Test
  void aChangeThatCommitsAfterTheFileWasWrittenIsNotMissed() throws Exception {
    try (Connection open = database.dataSource().getConnection()) {
      open.setAutoCommit(false);
      open.createStatement().execute("UPDATE port SET name = 'late' WHERE island = 'Norra'");
      assertThat(
              afterARestart(
                  () -> {
                    database.run("UPDATE agent SET office = 'y' WHERE id = 1"); // a later number
                    open.commit();
                  }))
          .isEqualTo("LOADED LOADED");
    }
  }

  @Test
  void aChangedSchemaPutsOutWhatStandsOnIt() throws Exception {
    assertThat(afterARestart(() -> database.run("ALTER TABLE agent ADD COLUMN z int")))
        .isEqualTo("KEPT LOADED");
    database.run("CREATE VIEW shown AS SELECT id, name, island FROM port");
    String sql = "SELECT name FROM shown WHERE island = 'Norra'";
    try (WarmShelf warm = open()) {
      assertThat(warm.query(sql).as(String.class).list().value()).isNotEmpty();
    }
    database.run("CREATE OR REPLACE VIEW shown AS SELECT id, code AS name, island FROM port");
    try (WarmShelf warm = open()) {
      Reading<List<String>> reading = warm.query(sql).as(String.class).list();
      assertThat(reading.origin()).isEqualTo(Origin.LOADED);
      assertThat(reading.value()).isEqualTo(names(sql));
    }
  }

  private void triggersOfPort(String word) throws SQLException {
    database.run(
        "DO $$ DECLARE t name; BEGIN FOR t IN SELECT tgname FROM pg_trigger WHERE tgrelid ="
            + " 'port'::regclass AND NOT tgisinternal LOOP EXECUTE format('ALTER TABLE port "
            + word
            + " TRIGGER %I', t); END LOOP; END $$");
  }

  /** Nobody noted what was changed while triggers were off, and they are on again. */
  @Test
  void triggersThatWereTouchedMeanwhilePutOutAll() throws Exception {
    assertThat(
            afterARestart(
                () -> {
                  triggersOfPort("DISABLE");
                  database.run("UPDATE port SET name = 'unnoted'");
                  triggersOfPort("ENABLE ALWAYS");
                }))
        .isEqualTo("LOADED LOADED");
    assertThat(
            afterARestart(
                () -> {
                  Journal.on(database.dataSource()).remove();
                  database.run("UPDATE port SET name = 'unnoted too'");
                  Journal.on(database.dataSource()).install(List.of("port:island", "agent:id"));
                }))
        .isEqualTo("LOADED LOADED");
  }

  @Test
  void aJournalThatWasTrimmedMeanwhilePutsOutAll() throws Exception {
    assertThat(
            afterARestart(
                () -> {
                  database.run("UPDATE port SET name = 'trimmed'");
                  database.run(
                      "UPDATE warm_shelf.installation SET trimmed_through = pg_current_xact_id()");
                  database.run("DELETE FROM warm_shelf.journal");
                }))
        .isEqualTo("LOADED LOADED");
  }

  @Test
  void whatWasClearedMeanwhileIsCleared() throws Exception {
    String form = SqlStatement.of(PORTS).formDigest();
    for (String clearing :
        List.of("'query', '" + form + "'", "'table', 'port'", "'tag', 'boards'", "'all', ''")) {
      assertThat(afterARestart(() -> database.run("SELECT warm_shelf.clear(" + clearing + ")")))
          .startsWith("LOADED");
    }
    try (WarmShelf warm = open()) {
      assertThat(ports(warm).origin()).isEqualTo(Origin.KEPT);
    }
    try (WarmShelf warm = open()) {
      String key = warm.query(PORTS).as(String.class).with("island", "Norra").key().digest();
      warm.clear(new Clearing(What.KEY, key.substring(0, 12), "a test"));
      assertThat(ports(warm).origin()).isEqualTo(Origin.LOADED);
    }
  }

  @Test
  void answersAgeWhileNobodyRuns() throws Exception {
    UnaryOperator<Policy> brief = policy -> policy.ttl(Duration.ofMillis(1));
    try (WarmShelf warm = open()) {
      ports(warm);
    }
    try (WarmShelf warm = open(brief)) { // what the policy says now ends it, too
      assertThat(ports(warm).origin()).isEqualTo(Origin.LOADED);
    }
    try (WarmShelf warm = open()) {
      assertThat(ports(warm).origin()).isEqualTo(Origin.LOADED); // it had a millisecond
    }
    UnaryOperator<Policy> forgetful = policy -> policy.expiring(policy.expiry().andWithProcess());
    try (WarmShelf warm = open(forgetful)) {
      ports(warm);
    }
    try (WarmShelf warm = open()) {
      assertThat(ports(warm).origin()).isEqualTo(Origin.LOADED);
    }
  }

  @Test
  void whatAProgramAsksByJdbcOutlivesItToo() throws Exception {
    String sql = "SELECT * FROM port WHERE island = ? ORDER BY id";
    Map<Integer, @Nullable Object> before;
    try (WarmShelf warm = open()) {
      Waiting.until("it is kept", () -> hits(warm, sql) > 0);
      before = shown(warm, sql);
    }
    try (WarmShelf warm = open()) {
      Waiting.until("it is served", () -> hits(warm, sql) > 0);
      assertThat(warm.shelf("main").meters().snapshot().get(Count.MISSES)).isZero();
      assertThat(warm.shelf("main").meters().snapshot().get(Count.RESTORED)).isEqualTo(1);
      assertThat(shown(warm, sql)).isEqualTo(before);
    }
  }

  private static long hits(WarmShelf warm, String sql) throws SQLException {
    shown(warm, sql);
    return warm.shelf("main").meters().snapshot().get(Count.HITS);
  }

  /** All that a result set says of its rows and columns. */
  private static Map<Integer, @Nullable Object> shown(WarmShelf warm, String sql)
      throws SQLException {
    Map<Integer, @Nullable Object> all = new java.util.TreeMap<>();
    try (Connection connection = warm.dataSource().getConnection();
        PreparedStatement statement = connection.prepareStatement(sql)) {
      statement.setString(1, "Norra");
      try (ResultSet rows = statement.executeQuery()) {
        var meta = rows.getMetaData();
        for (int i = 1; i <= meta.getColumnCount(); i++) {
          all.put(
              -i,
              meta.getColumnLabel(i)
                  + meta.getColumnTypeName(i)
                  + meta.getColumnClassName(i)
                  + meta.isNullable(i)
                  + meta.getTableName(i)
                  + meta.getPrecision(i));
        }
        while (rows.next()) {
          for (int i = 1; i <= meta.getColumnCount(); i++) {
            all.put(100 * rows.getRow() + i, rows.getObject(i));
          }
        }
      }
    }
    return all;
  }

  @Tag("thorough")
  @Test
  void damagedBytesNeverMatter() throws Exception {
    try (WarmShelf warm = open()) {
      ports(warm);
      agent(warm);
    }
    byte[] whole = Files.readAllBytes(file);
    Random random = new Random(7);
    for (int i = 0; i < 12; i++) {
      byte[] damaged = whole.clone();
      int at = i < 4 ? i * 7 : random.nextInt(whole.length);
      damaged[at] ^= (byte) (1 << random.nextInt(8));
      Files.write(file, i % 3 == 2 ? java.util.Arrays.copyOf(whole, at) : damaged);
      try (WarmShelf warm = open(policy -> policy.expiring(policy.expiry().andWithProcess()))) {
        assertThat(ports(warm).origin()).as("byte " + at).isEqualTo(Origin.LOADED);
        assertThat(ports(warm).origin()).isEqualTo(Origin.KEPT);
      }
    }
    Files.write(file, new byte[0]);
    open().close();
    Files.write(file, whole);
    try (WarmShelf warm = open()) {
      assertThat(ports(warm).origin()).isEqualTo(Origin.KEPT); // the check is of something
    }
  }

  @Test
  void aFileThatCannotBeWrittenBreaksNothing() throws Exception {
    Files.createDirectories(file.resolve("in the way"));
    try (WarmShelf warm = open()) {
      assertThat(ports(warm).origin()).isEqualTo(Origin.LOADED);
    }
    assertThat(directory.toFile().list()).containsExactlyInAnyOrder("answers", "answers.lock");
  }

  @Test
  void onlyItsOwnerMayReadIt() throws Exception {
    try (WarmShelf warm = open()) {
      ports(warm);
    }
    assertThat(PosixFilePermissions.toString(Files.getPosixFilePermissions(file)))
        .isEqualTo("rw-------");
    assertThat(directory.toFile().list()).containsExactlyInAnyOrder("answers", "answers.lock");
  }

  /** As when a new program is started before the old one ends: both read, one writes. */
  @Test
  void whoeverWasFirstWritesAsLongAsHeIsThere() throws Exception {
    WarmStart often = WarmStart.from(file).writtenEvery(Duration.ofMillis(5));
    WarmShelf old = database.shelf(5).warmStart(often).open();
    ports(old);
    Waiting.until(
        "it has written them",
        () ->
            Files.exists(file)
                && Files.readString(file, StandardCharsets.ISO_8859_1).contains("from port"));
    try (WarmShelf young = open()) {
      assertThat(agent(young).origin()).isEqualTo(Origin.LOADED);
    }
    try (WarmShelf third = open()) {
      assertThat(ports(third).origin()).isEqualTo(Origin.KEPT);
      assertThat(agent(third).origin()).isEqualTo(Origin.LOADED);
      old.close();
    }
    try (WarmShelf next = open()) {
      assertThat(agent(next).origin()).isEqualTo(Origin.KEPT);
    }
  }

  @Test
  void withoutAFeedThereIsNoProof() {
    assertThatThrownBy(
            () ->
                WarmShelf.over(database.dataSource())
                    .onTtlAlone()
                    .warmStart(WarmStart.from(file))
                    .open())
        .isInstanceOf(IllegalStateException.class)
        .hasMessageContaining("needs a feed");
  }
}
