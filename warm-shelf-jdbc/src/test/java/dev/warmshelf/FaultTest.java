package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.FaultySource.Fault;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Renewal;
import dev.warmshelf.shelf.Shelf.WriteThrough;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.List;
import java.util.Set;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.locks.LockSupport;
import org.junit.jupiter.api.Test;

/**
 * A fault at every call. A scenario of looks, loads, own writes, answers kept from them, and
 * changes of the schema is run once for each JDBC call that it makes, which then fails. Afterwards
 * nothing is stale, nothing hangs, and no connection is lost or altered.
 *
 * <p>Each call fails in one way, the next call in the next; {@code -Dfaults.all=true} has each fail
 * in every way, in a scenario of twice the length.
 */
class FaultTest {
  private static final boolean ALL = Boolean.getBoolean("faults.all");
  private static final int LANES = 12;

  /** About how many calls the looks at others' changes make, at the scenario's end. */
  private static final int LAST_LOOKS = 80;

  record Port(int id, String code) {}

  @Test
  void whateverCallFailsNothingIsStaleAndNothingHangs() throws Exception {
    int calls;
    try (Run run = new Run(TestDatabase.create())) {
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
                try (Run run = new Run(TestDatabase.create())) {
                  for (int n = next.getAndIncrement(); n <= calls; n = next.getAndIncrement()) {
                    for (Fault fault : ways(n, calls)) {
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
    assertThat(struck.get()).isGreaterThan(calls / 6);
  }

  private static Policy mendingAll(Policy policy) {
    return policy
        .tolerating(Duration.ofHours(9))
        .renewing(Renewal.mendingFrom(Duration.ZERO)); // the calls are the same, however slow
  }

  private static Set<Fault> ways(int call, int calls) {
    if (ALL) {
      return EnumSet.allOf(Fault.class);
    }
    Fault[] ways = Fault.values();
    Fault one = ways[call / 5 % ways.length];
    if (call > calls - LAST_LOOKS) {
      return EnumSet.of(one, Fault.CUT_BEFORE); // what a look loses here nothing hides
    }
    return call % 5 == 0 ? EnumSet.of(one) : EnumSet.noneOf(Fault.class);
  }

  /** One database, for as many runs as there are. */
  private static final class Run implements AutoCloseable {
    private final TestDatabase database;
    private final FaultySource faulty;
    private final Connection direct;
    private int number;

    Run(TestDatabase database) throws SQLException {
      this.database = database;
      this.direct = database.dataSource().getConnection();
      this.faulty = new FaultySource(database.dataSource());
    }

    @Override
    public void close() throws Exception {
      faulty.close();
      direct.close();
      assertThat(faulty.altered()).as("connections given back altered").isEmpty();
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
              .open()) {
        faulty.failAt(failingCall, fault);
        scenario(feed, warm);
        calls = faulty.calls();
        boolean struck = faulty.hasFailed();
        if (!struck) {
          faulty.failAt(Long.MAX_VALUE, fault);
        }
        String what = fault + " at call " + failingCall + " of run " + number;
        untilDelivered(feed, warm, what);
        for (ShelvedQuery<Port> query : queries(warm)) {
          for (int id = 1; id <= 2; id++) {
            Reading<List<Port>> reading = query.with("id", id).list();
            assertThat(reading.value()).as(what).isEqualTo(directly(query.text(), id));
          }
        }
        assertThat(faulty.open()).as("%s: connections not given back", what).hasSize(1);
      }
      assertThat(faulty.open()).as("the feed's connection was not given back").isEmpty();
      return calls;
    }

    private static List<ShelvedQuery<Port>> queries(WarmShelf warm) {
      return List.of(
          warm.query("SELECT id, code FROM port WHERE id = :id").as(Port.class),
          warm.query("SELECT id, code FROM quay WHERE id = :id").as(Port.class));
    }

    private void scenario(JournalFeed feed, WarmShelf warm) throws Exception {
      run("CREATE OR REPLACE VIEW quay AS SELECT id, code || '' AS code FROM port");
      ShelvedQuery<Port> port = queries(warm).get(0);
      attempt(() -> warm.write("UPDATE notice SET version = version WHERE id = 1").run());
      for (int round = 0; round < (ALL ? 2 : 1); round++) {
        String mark = number + "." + round;
        readAll(warm);
        attempt(
            () ->
                warm.write("UPDATE port SET code = :code WHERE id = 1 RETURNING id, code")
                    .with("code", "w" + mark)
                    .keep(port.with("id", 1), WriteThrough.ANYWAY)
                    .run());
        attempt(
            () ->
                warm.inTransaction(
                    tx -> {
                      port.with("id", 2).within(tx).list();
                      tx.write("UPDATE port SET code = :code WHERE id = 2")
                          .with("code", "t" + mark)
                          .run();
                      return port.with("id", 2).within(tx).list();
                    }));
        readAll(warm);
        // Others' changes come last: an own write that misses its look invalidates everything.
        run("UPDATE port SET code = 'p" + mark + "' WHERE id = 2");
        look(feed, warm);
        readAll(warm);
        run("CREATE OR REPLACE VIEW quay AS SELECT id, code || '-" + mark + "' AS code FROM port");
        look(feed, warm);
      }
    }

    private static void readAll(WarmShelf warm) {
      for (ShelvedQuery<Port> query : queries(warm)) {
        attempt(() -> query.with("id", 1).list());
        attempt(() -> query.with("id", 2).list());
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
      Object take() throws Exception;
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

    private List<Port> directly(String text, int id) throws SQLException {
      try (Statement statement = direct.createStatement();
          ResultSet row = statement.executeQuery(text.replace(":id", Integer.toString(id)))) {
        row.next();
        return List.of(new Port(id, row.getString(2)));
      }
    }
  }
}
