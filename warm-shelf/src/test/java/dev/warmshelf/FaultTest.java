package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.FaultySource.Fault;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Renewal;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.shelf.Shelf.WriteThrough;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.locks.LockSupport;
import javax.sql.DataSource;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

/**
 * A fault at every call. A scenario of looks, loads, own writes, answers kept from them, and
 * changes of the schema is run once for each JDBC call that it makes, which then fails. Afterwards
 * nothing is stale, nothing hangs, and no connection is lost or altered.
 *
 * <p>Each call fails in one way, the next call in the next; {@code -Dfaults.all=true} has each fail
 * in every way, in a scenario of twice the length.
 */
@Tag("thorough")
class FaultTest {
  private static final boolean ALL = Boolean.getBoolean("faults.all");
  private static final int LANES = 12;
  private static final List<String> TABLES = List.of("port", "quay");

  /** About how many calls the looks at others' changes make, at the scenario's end. */
  private static final int LAST_LOOKS = 80;

  record Port(int id, String code) {}

  @Test
  void whateverCallFailsNothingIsStaleAndNothingHangs() throws Exception {
    strikeEach(ByQueries::new, new Plan(29, LAST_LOOKS, true));
  }

  @Test
  void neitherUnderAnUnchangedProgram() throws Exception {
    strikeEach(ByJdbc::new, new Plan(97, 0, false));
  }

  /** Whatever call an error strikes, the connection is given back to its pool. */
  @Test
  void noErrorKeepsAConnection() throws Exception {
    FaultySource faulty = new FaultySource(TestDatabase.create().dataSource());
    try (WarmShelf warm = WarmShelf.over(faulty.dataSource()).onTtlAlone().open()) {
      DataSource source = warm.dataSource();
      boolean struck;
      int call = 0;
      do {
        faulty.failAt(++call, Fault.ERROR);
        Run.attempt(() -> alterAndWrite(source));
        struck = faulty.hasFailed();
        faulty.failAt(Long.MAX_VALUE, Fault.ERROR);
        Waiting.until("what call " + call + " had is given back", () -> faulty.open().isEmpty());
      } while (struck);
      assertThat(call).isGreaterThan(12);
    }
    faulty.close();
  }

  private static void alterAndWrite(DataSource source) throws SQLException {
    try (Connection connection = source.getConnection()) {
      connection.setAutoCommit(false);
      try (Statement statement = connection.createStatement()) {
        statement.execute("SET application_name = 'other'");
        statement.executeUpdate("UPDATE port SET code = code WHERE id = 1");
      }
      connection.commit();
      connection.setAutoCommit(true);
    }
  }

  /**
   * Which calls fail.
   *
   * @param step one call in so many does
   * @param last so many at the end do, too, and in one way more
   * @param resets whether what is borrowed is given back as it came; else that is its pool's
   */
  private record Plan(int step, int last, boolean resets) {
    Set<Fault> ways(int call, int calls) {
      if (ALL) {
        return EnumSet.allOf(Fault.class);
      }
      Fault[] ways = Fault.values();
      Fault one = ways[call / step % ways.length];
      if (call > calls - last) {
        return EnumSet.of(one, Fault.CUT_BEFORE); // what a look loses here nothing hides
      }
      return call % step == 0 ? EnumSet.of(one) : EnumSet.noneOf(Fault.class);
    }
  }

  private static void strikeEach(Writing writing, Plan plan) throws Exception {
    int calls;
    try (Run run = new Run(TestDatabase.create(), writing, plan.resets())) {
      calls = (int) run.with(Long.MAX_VALUE, Fault.LATE);
    }
    assertThat(calls).as("calls that the scenario makes").isGreaterThan(150);
    AtomicInteger next = new AtomicInteger(1);
    AtomicInteger struck = new AtomicInteger();
    ExecutorService lanes = Executors.newFixedThreadPool(LANES);
    List<Future<Void>> all = new ArrayList<>();
    for (int lane = 0; lane < LANES; lane++) {
      all.add(
          lanes.submit(
              () -> {
                try (Run run = new Run(TestDatabase.create(), writing, plan.resets())) {
                  for (int n = next.getAndIncrement(); n <= calls; n = next.getAndIncrement()) {
                    for (Fault fault : plan.ways(n, calls)) {
                      run.with(n, fault);
                      struck.addAndGet(run.struck() ? 1 : 0);
                    }
                  }
                }
                return null;
              }));
    }
    for (Future<Void> lane : all) {
      lane.get(10, TimeUnit.MINUTES);
    }
    lanes.shutdown();
    System.out.println("faults: " + calls + " calls, " + struck + " faults struck");
    assertThat(struck.get()).isGreaterThan(calls / plan.step() * 4 / 5);
  }

  private static Policy mendingAll(Policy policy) {
    return policy
        .tolerating(Duration.ofHours(9))
        .renewing(Renewal.mendingFrom(Duration.ZERO)); // the calls are the same, however slow
  }

  /** What is done with the shelves. */
  private interface Program {
    /** Something before the first fault. */
    default void warmUp() throws Exception {}

    /** Changes a row of no query's. */
    void touch() throws Exception;

    Port read(String table, int id) throws Exception;

    void write(String code) throws Exception;

    /** Reads the second port, changes it, and reads it again, as one. */
    void transact(String code) throws Exception;
  }

  private interface Writing {
    Program over(WarmShelf warm) throws Exception;
  }

  /** Asks through the query API, and writes through it. */
  private static final class ByQueries implements Program {
    private final WarmShelf warm;
    private final Map<String, ShelvedQuery<Port>> queries = new HashMap<>();

    ByQueries(WarmShelf warm) {
      this.warm = warm;
      for (String table : TABLES) {
        String sql = "SELECT id, code FROM " + table + " WHERE id = :id";
        queries.put(table, warm.query(sql).as(Port.class));
      }
    }

    @Override
    public void touch() throws Exception {
      warm.write("UPDATE notice SET version = version WHERE id = 1").run();
    }

    @Override
    public Port read(String table, int id) throws Exception {
      return queries.get(table).with("id", id).only().value();
    }

    @Override
    public void write(String code) throws Exception {
      warm.write("UPDATE port SET code = :code WHERE id = 1 RETURNING id, code")
          .with("code", code)
          .keep(queries.get("port").with("id", 1), WriteThrough.ANYWAY)
          .run();
    }

    @Override
    public void transact(String code) throws Exception {
      ShelvedQuery<Port> port = queries.get("port");
      warm.inTransaction(
          tx -> {
            port.with("id", 2).within(tx).list();
            tx.write("UPDATE port SET code = :code WHERE id = 2").with("code", code).run();
            return port.with("id", 2).within(tx).list();
          });
    }
  }

  /** Knows nothing of shelves. */
  private static final class ByJdbc implements Program {
    private final DataSource source;

    ByJdbc(WarmShelf warm) throws SQLException {
      this.source = warm.dataSource();
    }

    @Override
    public void warmUp() throws Exception {
      for (String table : TABLES) {
        Waiting.until(
            "answers of " + table + " are kept",
            () -> {
              try (Connection connection = source.getConnection();
                  PreparedStatement statement = asked(connection, table, 1);
                  ResultSet result = statement.executeQuery()) {
                return result.isWrapperFor(Reading.class);
              }
            });
      }
    }

    private static PreparedStatement asked(Connection connection, String table, int id)
        throws SQLException {
      PreparedStatement statement =
          connection.prepareStatement("SELECT id, code FROM " + table + " WHERE id = ?");
      statement.setInt(1, id);
      return statement;
    }

    private static Port read(Connection connection, String table, int id) throws SQLException {
      try (PreparedStatement statement = asked(connection, table, id);
          ResultSet result = statement.executeQuery()) {
        assertThat(result.next()).isTrue();
        return new Port(result.getInt("id"), result.getString("code"));
      }
    }

    private static void write(Connection connection, String sql, String code) throws SQLException {
      try (PreparedStatement statement = connection.prepareStatement(sql)) {
        statement.setString(1, code);
        statement.executeUpdate();
      }
    }

    @Override
    public void touch() throws Exception {
      try (Connection connection = source.getConnection()) {
        write(connection, "UPDATE notice SET version = version WHERE id = 1 AND ? = ''", "");
      }
    }

    @Override
    public Port read(String table, int id) throws Exception {
      try (Connection connection = source.getConnection()) {
        return read(connection, table, id);
      }
    }

    @Override
    public void write(String code) throws Exception {
      try (Connection connection = source.getConnection()) {
        write(connection, "UPDATE port SET code = ? WHERE id = 1", code);
      }
    }

    @Override
    public void transact(String code) throws Exception {
      try (Connection connection = source.getConnection()) {
        connection.setAutoCommit(false);
        try {
          read(connection, "port", 2);
          write(connection, "UPDATE port SET code = ? WHERE id = 2", code);
          assertThat(read(connection, "port", 2).code()).isEqualTo(code);
          connection.commit();
        } finally {
          connection.setAutoCommit(true);
        }
      }
    }
  }

  /** One database, for as many runs as there are. */
  private static final class Run implements AutoCloseable {
    private final TestDatabase database;
    private final FaultySource faulty;
    private final Connection direct;
    private final Writing writing;
    private final boolean resets;
    private int number;

    Run(TestDatabase database, Writing writing, boolean resets) throws SQLException {
      this.database = database;
      this.writing = writing;
      this.resets = resets;
      this.direct = database.dataSource().getConnection();
      this.faulty = new FaultySource(database.dataSource());
    }

    @Override
    public void close() throws Exception {
      faulty.close();
      direct.close();
      if (resets) {
        assertThat(faulty.altered()).as("connections given back altered").isEmpty();
      }
      try {
        Waiting.until("no session is left on the server", () -> database.sessions() == 0);
      } catch (AssertionError e) {
        throw new AssertionError("Left: " + database.lastStatements(), e);
      }
    }

    private void run(String sql) throws SQLException {
      try (Statement statement = direct.createStatement()) {
        statement.execute(sql);
      }
    }

    boolean struck() {
      return faulty.hasFailed();
    }

    /** Returns how many calls the scenario made. */
    long with(long failingCall, Fault fault) throws Exception {
      number++;
      faulty.failAt(Long.MAX_VALUE, fault);
      JournalFeed feed =
          JournalFeed.on(faulty.dataSource()).polling(Duration.ofMinutes(10)); // when hurried only
      long calls;
      try (WarmShelf warm =
          WarmShelf.over(faulty.dataSource())
              .following(feed)
              .shelf(WarmShelf.MAIN_SHELF, FaultTest::mendingAll)
              .keeping(Rule.ofTablesAmong("port"))
              .open()) {
        run("CREATE OR REPLACE VIEW quay AS SELECT id, code || '' AS code FROM port");
        Program program = writing.over(warm);
        program.warmUp();
        faulty.failAt(failingCall, fault);
        scenario(feed, warm, program);
        calls = faulty.calls();
        boolean struck = faulty.hasFailed();
        if (!struck) {
          faulty.failAt(Long.MAX_VALUE, fault);
        }
        String what = fault + " at call " + failingCall + " of run " + number;
        untilDelivered(feed, warm, what);
        for (String table : TABLES) {
          for (int id = 1; id <= 2; id++) {
            assertThat(program.read(table, id)).as(what).isEqualTo(directly(table, id));
          }
        }
        Waiting.until( // statements are asked about in the background, too
            what + ": all connections but the feed's are given back",
            () -> faulty.open().size() == 1);
      }
      assertThat(faulty.open()).as("the feed's connection was not given back").isEmpty();
      return calls;
    }

    private void scenario(JournalFeed feed, WarmShelf warm, Program program) throws Exception {
      attempt(program::touch);
      for (int round = 0; round < (ALL ? 2 : 1); round++) {
        String mark = number + "." + round;
        readAll(program);
        attempt(() -> program.write("w" + mark));
        attempt(() -> program.transact("t" + mark));
        readAll(program);
        // Others' changes come last: an own write that misses its look invalidates everything.
        run("UPDATE port SET code = 'p" + mark + "' WHERE id = 2");
        look(feed, warm);
        readAll(program);
        run("CREATE OR REPLACE VIEW quay AS SELECT id, code || '-" + mark + "' AS code FROM port");
        look(feed, warm);
      }
    }

    private static void readAll(Program program) {
      for (String table : TABLES) {
        attempt(() -> program.read(table, 1));
        attempt(() -> program.read(table, 2));
      }
    }

    /**
     * Has the feed look, for no writer who would invalidate everything if it failed, and waits
     * until it has looked or failed.
     */
    private static void look(JournalFeed feed, WarmShelf warm) throws Exception {
      FeedMeters.Snapshot before = warm.feedMeters().orElseThrow();
      feed.hurry();
      Waiting.until(
          "the feed has looked or failed",
          () -> {
            FeedMeters.Snapshot now = warm.feedMeters().orElseThrow();
            return now.batches() > before.batches() || now.state() == FeedMeters.State.LOST;
          });
    }

    private interface Step {
      void take() throws Exception;
    }

    /** A step may fail, with what the fault threw; a program would go on. */
    private static void attempt(Step step) {
      try {
        step.take();
      } catch (Exception e) {
        assertThat(e).isInstanceOf(SQLException.class);
      } catch (OutOfMemoryError e) {
        assertThat(e).hasMessage("a test's");
      }
    }

    private void untilDelivered(JournalFeed feed, WarmShelf warm, String what) throws Exception {
      java.time.Instant now = java.time.Instant.now();
      Waiting.until(
          what + ": the feed is live and has delivered",
          () -> {
            feed.hurry();
            LockSupport.parkNanos(1_000_000); // the others need the processors, too
            return warm.feedMeters().orElseThrow().state() == FeedMeters.State.LIVE
                && warm.freshAsOf().orElseThrow().isAfter(now);
          });
    }

    private Port directly(String table, int id) throws SQLException {
      try (Statement statement = direct.createStatement();
          ResultSet row =
              statement.executeQuery("SELECT code FROM " + table + " WHERE id = " + id)) {
        row.next();
        return new Port(id, row.getString(1));
      }
    }
  }
}
