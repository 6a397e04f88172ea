package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.door.Door;
import dev.warmshelf.door.Mark;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Count;
import dev.warmshelf.scenario.CountingSource;
import dev.warmshelf.scenario.TroubledLine;
import dev.warmshelf.shelf.AskedStatement;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Prospect;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Recipe;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.statement.SqlStatement;
import java.sql.Array;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicReference;
import java.util.stream.Stream;
import javax.sql.DataSource;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;
import org.postgresql.core.BaseConnection;
import org.postgresql.ds.PGSimpleDataSource;
import org.postgresql.jdbc.PgConnection;
import org.postgresql.jdbc.PgResultSet;

/** A program under whose JDBC the shelves are. */
class DoorTest {
  private static final String PORTS = "SELECT id, name FROM port WHERE island = ? ORDER BY id";

  private final List<AutoCloseable> opened = new ArrayList<>();
  private TestDatabase database;
  private CountingSource counted;
  private WarmShelf warm;

  @AfterEach
  void close() throws Exception {
    for (AutoCloseable each : opened) {
      each.close();
    }
  }

  private DataSource door(Rule... rules) throws Exception {
    database = TestDatabase.create();
    return doorOver(database.dataSource(), rules);
  }

  private DataSource doorOver(DataSource beneath, Rule... rules) throws Exception {
    counted = new CountingSource(beneath);
    WarmShelf.Builder builder =
        WarmShelf.over(counted.dataSource())
            .following(JournalFeed.on(database.dataSource()).polling(Duration.ofMillis(5)))
            .shelf("other", policy -> policy);
    for (Rule rule : rules) {
      builder.keeping(rule);
    }
    warm = builder.open();
    opened.add(0, warm);
    return warm.dataSource();
  }

  /** Where the answer came from, and its first name. */
  private record Asked(Origin origin, String name) {}

  private static Asked ask(Connection connection) throws SQLException {
    return ask(connection, PORTS);
  }

  private static Asked ask(Connection connection, String sql) throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(sql)) {
      statement.setString(1, "Norra");
      try (ResultSet result = statement.executeQuery()) {
        assertThat(result.getStatement()).isSameAs(statement);
        assertThat(result.next()).isTrue();
        boolean kept = result.isWrapperFor(Reading.class);
        Origin origin = kept ? result.unwrap(Reading.class).origin() : Origin.DIRECT;
        return new Asked(origin, result.getString("name"));
      }
    }
  }

  private static Asked ask(DataSource door) throws SQLException {
    try (Connection connection = door.getConnection()) {
      return ask(connection);
    }
  }

  /** Asks until what is known of the statement suffices to keep it. */
  private static void warmUp(DataSource door) throws Exception {
    Waiting.until("an answer is kept", () -> ask(door).origin() == Origin.KEPT);
  }

  @Test
  void whatAShelfAnswersTakesNoConnection() throws Exception {
    DataSource door = door(Rule.ofTablesAmong("port"));
    warmUp(door);
    int before = counted.taken();
    for (int i = 0; i < 20; i++) {
      try (Connection connection = door.getConnection()) {
        connection.setAutoCommit(false);
        connection.setReadOnly(true);
        assertThat(ask(connection).origin()).isEqualTo(Origin.KEPT);
        connection.commit();
      }
    }
    assertThat(counted.taken()).isEqualTo(before);
  }

  /** A pool over the database, of so many connections. */
  private HikariDataSource pool(int size) {
    HikariConfig config = new HikariConfig();
    config.setDataSource(database.dataSource());
    config.setMaximumPoolSize(size);
    HikariDataSource pool = new HikariDataSource(config);
    opened.add(pool);
    return pool;
  }

  @Test
  void fiftyThreadsReadKeptAnswersThroughAPoolThatIsHeld() throws Exception {
    database = TestDatabase.create();
    HikariDataSource pool = pool(2);
    DataSource door = doorOver(pool, Rule.ofTablesAmong("port"));
    warmUp(door);
    ExecutorService threads = Executors.newFixedThreadPool(50);
    opened.add(0, threads::shutdownNow);
    try (Connection one = pool.getConnection();
        Connection other = pool.getConnection()) {
      assertThat(one).isNotSameAs(other); // all that the pool has
      Callable<Asked> reading = () -> ask(door);
      for (Future<Asked> read : threads.invokeAll(java.util.Collections.nCopies(50, reading))) {
        assertThat(read.get().origin()).isEqualTo(Origin.KEPT);
      }
    }
  }

  @Test
  void onceACommitHasReturnedNobodyMissesIt() throws Exception {
    DataSource door = door(Rule.ofTablesAmong("port"));
    warmUp(door);
    for (int i = 0; i < 20; i++) {
      String name = "changed " + i;
      try (Connection connection = door.getConnection()) {
        connection.setAutoCommit(i % 2 == 0);
        try (Statement statement = connection.createStatement()) {
          statement.executeUpdate("UPDATE port SET name = '" + name + "'");
        }
        if (i % 2 == 1) {
          assertThat(ask(connection)).isEqualTo(new Asked(Origin.DIRECT, name));
          assertThat(ask(door).name()).isNotEqualTo(name);
          connection.commit();
        }
      }
      assertThat(ask(door).name()).isEqualTo(name);
    }
  }

  @Test
  void whatStandsBehindAMarkAdjustsThePolicyForThisTextAlone() throws Exception {
    DataSource door = door(Rule.ofTablesAmong("port"));
    warmUp(door);
    try (Connection connection = door.getConnection()) {
      String strict = PORTS + " /* shelf: boards, fresh-within 0 s */";
      assertThat(ask(connection, strict).origin()).isEqualTo(Origin.LOADED);
      assertThat(ask(connection, PORTS + " /* shelf: boards */").origin()).isEqualTo(Origin.KEPT);
      assertThat(ask(connection, PORTS + " -- shelf: boards, fresh-within 1 h").origin())
          .isEqualTo(Origin.KEPT);
      assertThat(ask(connection, PORTS + " /* shelf: boards, ttl 5 */").origin())
          .isEqualTo(Origin.DIRECT);
    }
    assertThatThrownBy(() -> Mark.in(List.of("/* shelf: a, soon 5 s */")))
        .hasMessageContaining("'soon 5 s' behind a mark is none of [ttl, fresh-within,");
    assertThat(Mark.in(List.of("/* shelf: a, ttl 5 s, old-while-loading 1 min*/")).get(0))
        .isEqualTo(
            new Mark(
                "a",
                Map.of("ttl", Duration.ofSeconds(5), "old-while-loading", Duration.ofMinutes(1))));
  }

  @Test
  void withoutAFeedOwnCommitsAreNotMissedEither() throws Exception {
    database = TestDatabase.create();
    try (WarmShelf alone =
        WarmShelf.over(database.dataSource())
            .onTtlAlone()
            .keeping(Rule.ofTablesAmong("port"))
            .open()) {
      DataSource program = alone.dataSource();
      warmUp(program);
      for (int i = 0; i < 5; i++) {
        execute(program, "UPDATE port SET name = 'written " + i + "'");
        assertThat(ask(program).name()).isEqualTo("written " + i);
        assertThat(ask(program).origin()).isEqualTo(Origin.KEPT);
      }
    }
  }

  @Test
  void aCommitWhoseAnswerIsLostCountsAsOne() throws Exception {
    database = TestDatabase.create();
    try (TroubledLine line = TroubledLine.to(database.postgres().getPortNumbers()[0])) {
      PGSimpleDataSource troubled = database.postgres();
      troubled.setPortNumbers(new int[] {line.port()});
      try (WarmShelf theirs =
          WarmShelf.over(troubled)
              .following(JournalFeed.on(database.dataSource()).polling(Duration.ofMinutes(10)))
              .shelf(WarmShelf.MAIN_SHELF, policy -> policy.tolerating(Duration.ofHours(9)))
              .keeping(Rule.ofTablesAmong("port"))
              .open()) {
        DataSource program = theirs.dataSource();
        warmUp(program);
        String update = "UPDATE port SET name = 'in doubt'";
        assertThat(theirs.prospect(update).isKept()).isFalse(); // else asked about while it is cut
        Set<String> outcomes = new HashSet<>();
        boolean isCut = true;
        for (int bytes = 1; isCut; bytes += 11) { // in what the server says at the commit
          execute(program, "UPDATE port SET name = 'no doubt'");
          try (Connection connection = program.getConnection()) {
            connection.setAutoCommit(false);
            try (Statement statement = connection.createStatement()) {
              statement.executeUpdate(update);
              line.cutAfter(bytes);
              isCut = failsToCommit(connection);
            }
            line.mend();
            String name = database.ask("SELECT name FROM port WHERE id = 1");
            outcomes.add(isCut + " " + name);
            assertThat(ask(program).name()).as("%d bytes", bytes).isEqualTo(name); // still open
          }
        }
        assertThat(outcomes)
            .as("lost before the commit, with what that said, and not at all")
            .containsExactlyInAnyOrder("true no doubt", "true in doubt", "false in doubt");
      }
    }
  }

  private static boolean failsToCommit(Connection connection) {
    try {
      connection.commit();
      return false;
    } catch (SQLException e) {
      return true;
    }
  }

  @Test
  void aTransactionThatReadsFromASnapshotIsAnsweredByTheDatabase() throws Exception {
    DataSource door = door(Rule.ofTablesAmong("port"));
    warmUp(door);
    try (Connection connection = door.getConnection()) {
      connection.setTransactionIsolation(Connection.TRANSACTION_REPEATABLE_READ);
      connection.setAutoCommit(false);
      String before = ask(connection).name();
      database.run("UPDATE port SET name = 'after'");
      assertThat(ask(connection)).isEqualTo(new Asked(Origin.DIRECT, before));
    }
  }

  @Test
  void aSessionThatWasAlteredIsAnsweredByTheDatabaseUntilItIsSetBack() throws Exception {
    DataSource door = door(Rule.ofTablesAmong("port"));
    database.run("CREATE SCHEMA tenant; CREATE TABLE tenant.port AS SELECT * FROM port");
    database.run("UPDATE tenant.port SET name = 'of the tenant'");
    warmUp(door);
    try (Connection connection = door.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("SELECT set_config('search_path', 'tenant, public', false)");
      assertThat(ask(connection)).isEqualTo(new Asked(Origin.DIRECT, "of the tenant"));
      assertThat(ask(door).origin()).isEqualTo(Origin.KEPT);
      statement.execute("RESET search_path");
      assertThat(ask(connection).origin()).isEqualTo(Origin.KEPT);
    }
  }

  @Test
  void aSessionThatGoesBackAlteredToItsPoolIsNotTakenForAnother() throws Exception {
    database = TestDatabase.create();
    HikariDataSource pool = pool(1);
    DataSource door = doorOver(pool, Rule.ofTablesAmong("port"));
    database.run("CREATE SCHEMA tenant; CREATE TABLE tenant.port AS SELECT * FROM port");
    database.run("UPDATE tenant.port SET name = 'of the tenant'");
    warmUp(door);
    execute(door, "SET search_path = tenant, public");
    assertThat(ask(door)).isEqualTo(new Asked(Origin.DIRECT, "of the tenant"));
    execute(door, "RESET search_path");
    assertThat(ask(door).origin()).isEqualTo(Origin.KEPT);
  }

  /** Doings after which a pooled connection's session is another one, though all looks well. */
  private interface Doing {
    void on(Connection connection) throws SQLException;
  }

  private static Doing sql(String sql) {
    return connection -> {
      try (Statement statement = connection.createStatement()) {
        statement.execute(sql);
      }
    };
  }

  private static final String PATH = "'search_path', 'tenant, public', false";

  private static final Map<String, Doing> ALTERATIONS =
      Map.ofEntries(
          Map.entry("set", sql("SET search_path = tenant, public")),
          Map.entry("set_config", sql("SELECT set_config(" + PATH + ")")),
          Map.entry("setSchema", connection -> connection.setSchema("tenant")),
          Map.entry(
              "by what an update returns",
              sql("UPDATE port SET id = id WHERE id = 1 RETURNING set_config(" + PATH + ")")),
          Map.entry("by a trigger", sql("UPDATE touched SET id = id")),
          Map.entry("by a function that says it is stable", sql("SELECT wanders()")),
          Map.entry("by a function that says it is immutable", sql("SELECT wanders_too(1)")),
          Map.entry(
              "by the driver's connection",
              connection ->
                  sql("SET search_path = tenant, public")
                      .on(connection.unwrap(PgConnection.class))),
          Map.entry(
              "by an array's rows",
              connection -> {
                Array array = connection.createArrayOf("int", new Integer[] {1});
                try (ResultSet rows = array.getResultSet()) {
                  sql("SET search_path = tenant, public").on(rows.getStatement().getConnection());
                }
              }),
          Map.entry(
              "by the metadata's rows",
              connection -> {
                try (ResultSet rows = connection.getMetaData().getTableTypes()) {
                  sql("SET search_path = tenant, public").on(rows.getStatement().getConnection());
                }
              }));

  /**
   * Altered, asked something on, which shows what the session is like, and given back: whoever gets
   * it next has that session.
   */
  @Tag("thorough")
  @ParameterizedTest
  @MethodSource("alterations")
  void whoeverHasAlteredAPooledConnectionNobodyTakesItForAnother(String how, boolean reads)
      throws Exception {
    database = TestDatabase.create();
    HikariDataSource pool = pool(1);
    DataSource door = doorOver(pool, Rule.ofTablesAmong("port"));
    database.run(
        """
        CREATE SCHEMA tenant;
        CREATE TABLE tenant.port AS SELECT * FROM port;
        UPDATE tenant.port SET name = 'of the tenant';
        CREATE FUNCTION wander() RETURNS text LANGUAGE sql
          AS 'SELECT set_config(''search_path'', ''tenant, public'', false)';
        CREATE FUNCTION wanders() RETURNS text STABLE LANGUAGE plpgsql
          AS 'BEGIN RETURN wander(); END';
        CREATE FUNCTION wanders_too(int) RETURNS text IMMUTABLE LANGUAGE plpgsql
          AS 'BEGIN RETURN wander(); END';
        CREATE FUNCTION wandering() RETURNS trigger LANGUAGE plpgsql
          AS 'BEGIN PERFORM wander(); RETURN NULL; END';
        CREATE TABLE touched (id int);
        CREATE TRIGGER t AFTER UPDATE ON touched EXECUTE FUNCTION wandering();
        """);
    warmUp(door);
    try (Connection connection = door.getConnection()) {
      ALTERATIONS.get(how).on(connection);
      if (reads) {
        ask(connection);
      }
    }
    assertThat(ask(door)).isEqualTo(new Asked(Origin.DIRECT, "of the tenant"));
    execute(door, "RESET search_path");
    assertThat(ask(door).origin().isHit()).isTrue();
  }

  static Stream<Arguments> alterations() {
    return ALTERATIONS.keySet().stream()
        .sorted()
        .flatMap(how -> Stream.of(Arguments.of(how, true), Arguments.of(how, false)));
  }

  private static final String WRITE = "UPDATE port SET name = 'written' WHERE island = 'Norra'";

  /** Ways to write that are no statement of the program's, or one that says that it only reads. */
  private static final Map<String, Doing> WRITES =
      Map.ofEntries(
          Map.entry(
              "updateRow",
              connection ->
                  updatable(
                      connection,
                      row -> {
                        row.updateString("name", "written");
                        row.updateRow();
                      })),
          Map.entry(
              "insertRow",
              connection ->
                  updatable(
                      connection,
                      row -> {
                        row.moveToInsertRow();
                        row.updateInt("id", 0);
                        row.updateString("code", "WRT");
                        row.updateString("name", "written");
                        row.updateString("island", "Norra");
                        row.updateString("status", "OPEN");
                        row.insertRow();
                      })),
          Map.entry("deleteRow", connection -> updatable(connection, ResultSet::deleteRow)),
          Map.entry(
              "by the driver's result set",
              connection ->
                  updatable(
                      connection,
                      row ->
                          sql(WRITE)
                              .on(row.unwrap(PgResultSet.class).getStatement().getConnection()))),
          Map.entry("a stable function", sql("SELECT writes()")),
          Map.entry("an immutable function", sql("SELECT writes_too(1)")),
          Map.entry("a view over a function", sql("SELECT * FROM writing")),
          Map.entry("an operator", sql("SELECT 1 <~> 2")),
          Map.entry(
              "a text that is run", sql("SELECT query_to_xml('SELECT write()', true, true, '')")),
          Map.entry("a policy", sql("SELECT count(*) FROM guarded")),
          Map.entry("an argument's default", sql("SELECT with_default()")));

  private static void updatable(Connection connection, ResultSetDoing doing) throws SQLException {
    try (Statement statement =
            connection.createStatement(
                ResultSet.TYPE_SCROLL_INSENSITIVE, ResultSet.CONCUR_UPDATABLE);
        ResultSet row =
            statement.executeQuery(
                "SELECT id, code, name, island, status FROM port WHERE island = 'Norra' ORDER BY id")) {
      row.next();
      doing.on(row);
    }
  }

  private interface ResultSetDoing {
    void on(ResultSet row) throws SQLException;
  }

  @ParameterizedTest
  @MethodSource("writes")
  void whateverATransactionHasWrittenItReads(String how) throws Exception {
    DataSource door = door(Rule.ofTablesAmong("port"));
    database.run(
        """
        ALTER TABLE port DROP CONSTRAINT port_pkey CASCADE, ADD PRIMARY KEY (id);
        CREATE FUNCTION write() RETURNS int LANGUAGE plpgsql AS
          'BEGIN UPDATE port SET name = ''written'' WHERE island = ''Norra''; RETURN 1; END';
        CREATE FUNCTION writes() RETURNS int STABLE LANGUAGE plpgsql AS 'BEGIN RETURN write(); END';
        CREATE FUNCTION writes_too(int) RETURNS int IMMUTABLE LANGUAGE plpgsql
          AS 'BEGIN RETURN write(); END';
        CREATE FUNCTION writes_by(int, int) RETURNS int IMMUTABLE LANGUAGE plpgsql
          AS 'BEGIN RETURN write(); END';
        CREATE OPERATOR <~> (LEFTARG = int, RIGHTARG = int, FUNCTION = writes_by);
        CREATE FUNCTION with_default(int DEFAULT writes()) RETURNS int IMMUTABLE LANGUAGE sql
          AS 'SELECT $1';
        CREATE VIEW writing AS SELECT writes() AS done;
        CREATE TABLE guarded (id int);
        INSERT INTO guarded VALUES (1);
        ALTER TABLE guarded ENABLE ROW LEVEL SECURITY;
        ALTER TABLE guarded FORCE ROW LEVEL SECURITY;
        CREATE POLICY p ON guarded USING (writes() = 1);
        """);
    warmUp(door);
    try (Connection connection = door.getConnection()) {
      connection.setAutoCommit(false);
      assertThat(ask(connection).origin()).isEqualTo(Origin.KEPT);
      WRITES.get(how).on(connection);
      Asked own = ask(connection);
      assertThat(own.origin()).isEqualTo(Origin.DIRECT);
      connection.commit();
    }
    assertThat(ask(door).name())
        .isEqualTo(database.ask(PORTS.replace("?", "'Norra'").replace("id, name", "name")));
  }

  static Stream<String> writes() {
    return WRITES.keySet().stream().sorted();
  }

  /** What reads nothing but its arguments is not taken for a write, nor what the server knows. */
  @Test
  void aTransactionThatHasOnlyReadIsAnsweredFromTheShelf() throws Exception {
    DataSource door = door(Rule.ofTablesAmong("port"));
    warmUp(door);
    for (String reading :
        List.of("SELECT now()", "SELECT upper('x')", "SELECT * FROM vessel", "SHOW search_path")) {
      try (Connection connection = door.getConnection()) {
        connection.setAutoCommit(false);
        Waiting.until(
            reading,
            () -> {
              connection.rollback();
              sql(reading).on(connection);
              return ask(connection).origin() == Origin.KEPT || reading.startsWith("SHOW");
            });
      }
    }
  }

  private static void execute(DataSource door, String sql) throws SQLException {
    try (Connection connection = door.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }

  @Test
  void theFirstRuleThatFitsDecides() throws Exception {
    String digest = SqlStatement.of(PORTS).formDigest();
    DataSource door =
        door(
            Rule.ofMark("never").never(),
            Rule.ofMark("here").on("other"),
            Rule.ofForm(digest.substring(0, 8)));
    warmUp(door);
    try (Connection connection = door.getConnection()) {
      ask(connection, PORTS + " -- shelf: never");
      assertThat(warm.shelf("other").size()).isZero();
      Waiting.until(
          "an answer is kept",
          () -> ask(connection, "/* shelf: here */ " + PORTS).origin() != Origin.DIRECT);
      assertThat(warm.shelf("other").size()).isOne();
      assertThat(ask(connection, PORTS.replace("id, name", "name")).origin())
          .isEqualTo(Origin.DIRECT);
    }
  }

  @Test
  void aRuleByTablesFitsStatementsThatReadNoOthers() throws Exception {
    DataSource door = door(Rule.ofTablesAmong("public.port"));
    warmUp(door);
    String others =
        "SELECT name FROM port WHERE island = ? AND EXISTS (SELECT FROM sailing) ORDER BY id";
    for (int i = 0; i < 20; i++) {
      try (Connection connection = door.getConnection()) {
        assertThat(ask(connection, others).origin()).isEqualTo(Origin.DIRECT);
      }
    }
  }

  @Test
  void whatIsAskedIsListedByFormWithWhatBecomesOfIt() throws Exception {
    DataSource door = door(Rule.ofTablesAmong("port"));
    warmUp(door);
    for (int id = 1; id < 4; id++) {
      execute(door, "UPDATE port SET code = code WHERE id = " + id);
    }
    execute(door, "SELECT random() FROM port");
    List<AskedStatement> all = warm.statements();
    assertThat(all).extracting(AskedStatement::formDigest).doesNotHaveDuplicates();
    AskedStatement kept = of(all, "order by id");
    assertThat(kept.standing()).isEqualTo("kept on main");
    assertThat(kept.outcomes().hits()).isPositive();
    assertThat(kept.outcomes().misses()).isPositive();
    assertThat(kept.outcomes().direct()).isPositive(); // while nothing was known of it
    assertThat(kept.formDigest()).isEqualTo(SqlStatement.of(PORTS).formDigest());
    AskedStatement written = of(all, "update port set code");
    assertThat(written.outcomes().all()).isEqualTo(3); // constants are no part of a form
    assertThat(written.standing()).isEqualTo("no rule fits");
    assertThat(of(all, "random").outcomes()).isEqualTo(new AskedStatement.Outcomes(0, 0, 1));
  }

  private static AskedStatement of(List<AskedStatement> all, String words) {
    return all.stream().filter(each -> each.normalForm().contains(words)).findFirst().orElseThrow();
  }

  @Test
  void aRuleThatNamesNoShelfIsAnError() throws Exception {
    assertThatThrownBy(() -> door(Rule.ofMark("here").on("nowhere")))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessageContaining("nowhere")
        .hasMessageContaining("[main, other]");
    assertThatThrownBy(() -> Rule.ofMark("two words")).hasMessageContaining("'two words'");
    assertThatThrownBy(() -> Rule.ofForm("abc")).hasMessageContaining("shelf key");
    assertThatThrownBy(Rule::ofTablesAmong).hasMessageContaining("names one at least");
  }

  @Test
  void whoChangesBytesChangesHisOwn() throws Exception {
    DataSource door = door(Rule.ofTablesAmong("port"));
    warmUp(door);
    for (int i = 0; i < 2; i++) {
      try (Connection connection = door.getConnection();
          PreparedStatement statement = connection.prepareStatement(PORTS)) {
        statement.setString(1, "Norra");
        ResultSet result = statement.executeQuery();
        result.next();
        byte[] bytes = result.getBytes("name");
        assertThat(bytes)
            .isEqualTo(result.getString("name").getBytes(java.nio.charset.StandardCharsets.UTF_8));
        bytes[0]++;
      }
    }
  }

  /** A find before an update by its version, as persistence libraries do it. */
  @Test
  void aRuleCanLeaveTransactionsAloneThatMayWrite() throws Exception {
    String sql = "SELECT id FROM vessel WHERE id > ?";
    DataSource door = door(Rule.ofTablesAmong("vessel").inReadOnlyTransactions());
    try (Connection connection = door.getConnection()) {
      Waiting.until("it is kept", () -> hitsOf(connection, sql) == 1);
      connection.setAutoCommit(false);
      assertThat(hitsOf(connection, sql)).isZero();
      connection.commit();
      assertThat(hitsOf(connection, sql)).isZero();
      connection.rollback();
      connection.setReadOnly(true);
      assertThat(hitsOf(connection, sql)).isEqualTo(1);
      connection.commit();
      connection.setReadOnly(false);
      assertThat(hitsOf(connection, sql)).isZero();
      connection.commit();
      connection.setAutoCommit(true);
      assertThat(hitsOf(connection, sql)).isEqualTo(1);
      database.run(connection, "BEGIN");
      assertThat(hitsOf(connection, sql)).isZero();
      database.run(connection, "COMMIT");
    }
    assertThat(warm.shelf("main").meters().snapshot().get(BypassReason.IN_TRANSACTION))
        .isEqualTo(4);
  }

  private long hitsOf(Connection connection, String sql) throws SQLException {
    long before = warm.shelf("main").meters().snapshot().get(Count.HITS);
    askVessels(connection, sql);
    return warm.shelf("main").meters().snapshot().get(Count.HITS) - before;
  }

  @Test
  void aRuleByTablesSaysWhetherAllOfThemAreRead() {
    java.util.Set<String> port = java.util.Set.of("public.port", "port");
    java.util.Set<String> island = java.util.Set.of("public.island", "island");
    Rule among = Rule.ofTablesAmong("port", "public.island");
    Rule exactly = Rule.ofTablesExactly(List.of("port", "public.island"));
    assertThat(among.fitsTables(List.of(port))).isTrue();
    assertThat(exactly.fitsTables(List.of(port))).isFalse();
    for (Rule rule : List.of(among, exactly)) {
      assertThat(rule.fitsTables(List.of(island, port))).isTrue();
      assertThat(rule.fitsTables(List.of())).isFalse();
      assertThat(rule.fitsTables(List.of(port, island, java.util.Set.of("vessel")))).isFalse();
    }
    assertThat(exactly.on("other").inReadOnlyTransactions())
        .hasToString(
            "tables exactly [port, public.island]: kept on other, not in transactions that may"
                + " write");
    assertThat(among.never()).hasToString("tables among [port, public.island]: not kept");
  }

  /** Prepares what it is asked the second time with another number in it. */
  private static Object lying(Object real, Class<?> as, int[] asked) {
    return java.lang.reflect.Proxy.newProxyInstance(
        DoorTest.class.getClassLoader(),
        new Class<?>[] {as},
        (proxy, method, arguments) -> {
          if (method.getName().equals("prepareStatement")
              && arguments[0].toString().contains("7::int2")
              && ++asked[0] == 2) {
            arguments[0] = arguments[0].toString().replace("7::int2", "8::int2");
          }
          try {
            Object result = method.invoke(real, arguments);
            return method.getName().equals("unwrap")
                ? lying(result, BaseConnection.class, asked)
                : result;
          } catch (java.lang.reflect.InvocationTargetException e) {
            throw e.getCause();
          }
        });
  }

  /** Told to ask for nothing but binary values, it gives no texts that could be kept. */
  @Test
  void aDriverThatAsksForNoTextsKeepsNothingAndFitsAllTheSame() throws Exception {
    database = TestDatabase.create();
    PGSimpleDataSource source = database.postgres();
    source.setPrepareThreshold(-1);
    DataSource door = doorOver(source, Rule.ofTablesAmong("vessel"));
    for (int i = 0; i < 5; i++) {
      try (Connection connection = door.getConnection()) {
        askVessels(connection, "SELECT id FROM vessel WHERE id > ?");
      }
    }
    assertThat(warm.health().state()).isEqualTo(Health.State.LIVE);
  }

  /** As with a driver whose result sets, made of what is kept, are not what it gives itself. */
  @Test
  void aDriverThatDoesNotFitIsFoundOutBeforeAnythingIsKept() throws Exception {
    database = TestDatabase.create();
    int[] asked = {0};
    DataSource source = org.mockito.Mockito.mock();
    org.mockito.Mockito.when(source.getConnection())
        .then(call -> lying(database.dataSource().getConnection(), Connection.class, asked));
    DataSource door = doorOver(source, Rule.ofTablesAmong("vessel"));
    assertThat(asked[0]).isEqualTo(2);
    assertThat(warm.health().state()).isEqualTo(Health.State.FAILING);
    assertThat(warm.health().why())
        .contains("do not fit", "type int2", "getString", "8", "not", "7", "42.");
    try (Connection connection = door.getConnection()) {
      for (int i = 0; i < 5; i++) {
        askVessels(connection, "SELECT id FROM vessel WHERE id > ?");
      }
    }
    assertThat(warm.shelf("main").meters().snapshot().lookups()).isZero();
  }

  @Test
  void aSourceOfAnotherDriverIsAnError() throws Exception {
    door();
    Connection strange = org.mockito.Mockito.mock();
    DataSource source = org.mockito.Mockito.mock();
    org.mockito.Mockito.when(source.getConnection()).thenReturn(strange);
    assertThatThrownBy(() -> Door.over(warm.engine(), source, List.of()).shelves())
        .isInstanceOf(SQLException.class)
        .hasMessageContaining("do not unwrap to PostgreSQL's driver");
  }

  /** Who is told what, as "shelf outcome statement values". */
  private List<String> recorded() {
    List<String> told = Collections.synchronizedList(new ArrayList<>());
    warm.recordTo(
        (shelf, key, words, outcome, loadNanos, answer, footprint) ->
            told.add("%s %s %s %s".formatted(shelf, outcome, words.text(), words.values())));
    return told;
  }

  @Test
  void whatTheDatabaseAnswersIsRecordedToo() throws Exception {
    DataSource door = door(Rule.ofTablesAmong("port"));
    warmUp(door);
    String other = "SELECT id FROM vessel WHERE id > ?";
    try (Connection connection = door.getConnection()) {
      Waiting.until(
          "it is known that the statement only reads",
          () -> {
            List<String> told = recorded();
            askVessels(connection, other);
            return !told.isEmpty();
          });
      List<String> told = recorded();
      askVessels(connection, other);
      connection.setAutoCommit(false);
      try (Statement writing = connection.createStatement()) {
        writing.executeUpdate("UPDATE vessel SET name = name");
      }
      assertThat(ask(connection).origin()).isEqualTo(Origin.DIRECT);
      connection.rollback();
      connection.setAutoCommit(true);
      assertThat(ask(connection).origin()).isEqualTo(Origin.KEPT);
      assertThatThrownBy(() -> ask(connection, "SELECT 1 / 0 AS name WHERE '' <> ?"))
          .isInstanceOf(SQLException.class);
      assertThat(told)
          .containsExactly(
              " DIRECT " + other + " [0]",
              "main DIRECT " + PORTS + " [Norra]",
              "main KEPT " + PORTS + " [Norra]");
    }
  }

  @Test
  void aRecorderThatFailsBreaksNoStatement() throws Exception {
    DataSource door = door();
    AtomicInteger told = new AtomicInteger();
    warm.recordTo(
        (shelf, key, words, outcome, loadNanos, answer, footprint) -> {
          told.incrementAndGet();
          throw new IllegalStateException("full");
        });
    try (Connection connection = door.getConnection()) {
      Waiting.until(
          "it is told once",
          () -> {
            askVessels(connection, "SELECT id FROM vessel WHERE id > ?");
            return told.get() > 0;
          });
      askVessels(connection, "SELECT id FROM vessel WHERE id > ?");
      assertThat(told).hasValue(1);
    }
  }

  private static void askVessels(Connection connection, String sql) throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(sql)) {
      statement.setInt(1, 0);
      assertThat(statement.executeQuery().next()).isTrue();
    }
  }

  /** Also what says that the library does not fit the driver: then it is not tried again. */
  @Test
  void whateverFailsInItTheDatabaseAnswersAndHealthSaysSo() throws Exception {
    AtomicReference<Throwable> thrown = new AtomicReference<>();
    database = TestDatabase.create();
    warm =
        database
            .shelf(5)
            .shelf(
                "odd",
                policy -> policy,
                Recipe.plain()
                    .adding(
                        "tenant",
                        () -> {
                          if (thrown.get() instanceof Error error) {
                            throw error;
                          } else if (thrown.get() instanceof RuntimeException exception) {
                            throw exception;
                          }
                          return 1;
                        }))
            .keeping(Rule.ofTablesAmong("port").on("odd"))
            .open();
    opened.add(0, warm);
    DataSource door = warm.dataSource();
    warmUp(door);
    assertThat(warm.health().isWell()).isTrue();
    thrown.set(new IllegalStateException("no tenant"));
    Asked direct = ask(door);
    assertThat(direct.origin()).isNotEqualTo(Origin.KEPT);
    assertThat(warm.health().state()).isEqualTo(Health.State.FAILING);
    assertThat(warm.health().why()).contains("no tenant");
    thrown.set(null);
    assertThat(ask(door).origin()).as("it may get better").isEqualTo(Origin.KEPT);
    assertThat(ask(door).name()).isEqualTo(direct.name());
    thrown.set(new NoSuchMethodError("Field(String)"));
    assertThat(ask(door).name()).isEqualTo(direct.name());
    thrown.set(null);
    assertThat(ask(door).origin()).as("it cannot get better").isNotEqualTo(Origin.KEPT);
    assertThat(warm.health().why()).contains("do not fit", "Field(String)");
    assertThat(warm.health().isWell()).isFalse();
  }

  @Test
  void whatBecomesOfAStatementIsToldBeforeItIsAsked() throws Exception {
    door(
        Rule.ofMark("slow").on("other"),
        Rule.ofTablesAmong("port"),
        Rule.ofTablesAmong("agent").never());
    assertThat(warm.prospect(PORTS))
        .isEqualTo(
            new Prospect(
                SqlStatement.of(PORTS).formDigest(),
                Optional.of(warm.prospect(PORTS).rule().orElseThrow()),
                ""));
    assertThat(warm.prospect(PORTS).standing()).isEqualTo("kept on main");
    assertThat(warm.prospect("SELECT now(), name FROM port /* shelf: slow */").standing())
        .startsWith("refused: ")
        .contains("now");
    assertThat(warm.prospect("SELECT office FROM agent").standing()).isEqualTo("a rule: not kept");
    assertThat(warm.prospect("SELECT name FROM vessel").standing()).isEqualTo("no rule fits");
    assertThat(warm.prospect("SELECT name FROM vessel").isKept()).isFalse();
    assertThat(warm.prospect("SELECT 1; SELECT 2").standing()).startsWith("not read: ");
  }
}
