package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.meter.Count;
import dev.warmshelf.scenario.TroubledLine;
import dev.warmshelf.shared.PostgresStore;
import dev.warmshelf.shared.StoreSchema;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.SharedState;
import dev.warmshelf.shelf.Sharing;
import dev.warmshelf.spi.feed.Clearing;
import dev.warmshelf.spi.feed.Clearing.What;
import dev.warmshelf.spi.store.SharedStore;
import dev.warmshelf.spi.store.SharedStoreTrial;
import java.lang.reflect.Proxy;
import java.nio.ByteBuffer;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.function.UnaryOperator;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.postgresql.ds.PGSimpleDataSource;

/** Answers that one process has loaded and another is given. */
class SharingTest {
  private static final String PORTS = "SELECT name FROM port WHERE island = :island ORDER BY id";
  private static final String AGENT = "SELECT office FROM agent WHERE id = :id";

  private TestDatabase database;

  @BeforeEach
  void create() throws Exception {
    database = TestDatabase.create();
    assertThat(StoreSchema.create(database.dataSource(), 1 << 20, List.of())).isTrue();
  }

  private WarmShelf open() throws Exception {
    return open(sharing -> sharing);
  }

  private WarmShelf open(UnaryOperator<Sharing> adjust) throws Exception {
    return open(store(), adjust);
  }

  private SharedStore store() {
    return PostgresStore.on(database.dataSource())
        .reading(1)
        .answeringWithin(Duration.ofSeconds(10)); // however busy the machine is
  }

  private WarmShelf open(SharedStore store, UnaryOperator<Sharing> adjust) throws Exception {
    Sharing sharing = Sharing.through(store).fromLoadsOf(Duration.ZERO);
    return database.shelf(5).sharing(adjust.apply(sharing)).open();
  }

  private static Reading<List<String>> ports(WarmShelf warm) throws SQLException {
    return warm.query(PORTS).tagged("boards").as(String.class).with("island", "Norra").list();
  }

  private static Reading<List<String>> agent(WarmShelf warm) throws SQLException {
    return warm.query(AGENT).as(String.class).with("id", 1).list();
  }

  private static long written(WarmShelf warm) {
    return warm.shared().orElseThrow().count(SharedState.Count.WRITTEN);
  }

  private static void untilWritten(WarmShelf warm, long count) throws Exception {
    Waiting.until("written", () -> written(warm) >= count);
  }

  @Test
  void theStoreIsOne() throws Exception {
    assertThat(
            SharedStoreTrial.failures(
                () ->
                    PostgresStore.on(database.dataSource())
                        .reading(2)
                        .answeringWithin(Duration.ofSeconds(10))))
        .isEmpty();
  }

  /** So that nobody is told nothing is wrong by a trial that finds nothing. */
  @Test
  void theTrialFindsWhatAStoreDoesWrong() throws Exception {
    List<String> failures =
        SharedStoreTrial.failures(
            () ->
                (SharedStore)
                    Proxy.newProxyInstance(
                        SharedStore.class.getClassLoader(),
                        new Class<?>[] {SharedStore.class},
                        (proxy, method, arguments) -> nothing(method.getName())));
    assertThat(failures)
        .contains(
            "gives something where nothing was put",
            "does not give 700 bytes as they were put",
            "gives something under another digest",
            "tells another age than the time since the bytes were put",
            "tells an age that does not grow",
            "does not list an answer with its digest and facts",
            "gives what had ended when it was trimmed",
            "does not give a place that was noted",
            "gives two processes one lease",
            "mixes what several put at once",
            "gives something after it was closed");
  }

  /** A store that has one answer for everybody, an hour old, and a lease for each who asks. */
  private static @Nullable Object nothing(String method) {
    return switch (method) {
      case "get" ->
          new SharedStore.Stored(ByteBuffer.wrap(new byte[] {7}), Duration.ofHours(1).toNanos());
      case "lease" -> (SharedStore.Lease) () -> {};
      case "moment" -> 0L;
      case "list" -> List.of();
      case "oldestPlace" -> Optional.empty();
      case "forget" -> 0;
      default -> null;
    };
  }

  @Test
  void whatOneHasLoadedAnotherIsGiven() throws Exception {
    try (WarmShelf one = open();
        WarmShelf other = open()) {
      Reading<List<String>> loaded = ports(one);
      assertThat(loaded.origin()).isEqualTo(Origin.LOADED);
      untilWritten(one, 1);
      Reading<List<String>> shared = ports(other);
      assertThat(shared.origin()).isEqualTo(Origin.SHARED);
      assertThat(shared.value()).isEqualTo(loaded.value());
      assertThat(shared.holdsStill()).isTrue();
      assertThat(ports(other).origin()).isEqualTo(Origin.KEPT);
      assertThat(other.shelf("main").meters().snapshot().get(Count.SHARED)).isEqualTo(1);
      assertThat(other.shelf("main").meters().snapshot().databaseReads()).isZero();
      database.run("UPDATE port SET name = name || '.' WHERE island = 'Norra'");
      Waiting.untilDelivered(other);
      assertThat(ports(other).value()).allMatch(name -> name.endsWith("."));
    }
  }

  private interface Work {
    void run() throws Exception;
  }

  private interface Step {
    void with(WarmShelf warm) throws Exception;
  }

  /** Whose answers wait on their way to it. */
  private SharedStore late(CountDownLatch underWay, CountDownLatch goOn) {
    SharedStore real = store();
    return (SharedStore)
        Proxy.newProxyInstance(
            SharedStore.class.getClassLoader(),
            new Class<?>[] {SharedStore.class},
            (proxy, method, arguments) -> {
              if (method.getName().equals("put")) {
                underWay.countDown();
                goOn.await();
              }
              return method.invoke(real, arguments);
            });
  }

  /** However long an answer is under way to the store, it is not taken for younger. */
  @Test
  void whatArrivesLateIsNoYounger() throws Exception {
    CountDownLatch underWay = new CountDownLatch(1);
    CountDownLatch goOn = new CountDownLatch(1);
    try (WarmShelf one = open();
        WarmShelf other = open(late(underWay, goOn), sharing -> sharing)) {
      long began = System.nanoTime();
      assertThat(ports(other).origin()).isEqualTo(Origin.LOADED);
      underWay.await();
      one.clearAll();
      long cleared = System.nanoTime();
      Waiting.until("later", () -> System.nanoTime() - cleared > cleared - began);
      goOn.countDown();
      untilWritten(other, 1);
      assertThat(ports(one).origin()).isEqualTo(Origin.LOADED);
    } finally {
      goOn.countDown();
    }
  }

  /** Where another process has the ports from, after something has been done to it. */
  private Origin ofOther(Step step) throws Exception {
    database.run("DELETE FROM warm_shelf_store.answer");
    try (WarmShelf one = open();
        WarmShelf other = open()) {
      ports(one);
      untilWritten(one, 1);
      step.with(other);
      Waiting.untilDelivered(other);
      Reading<List<String>> reading = ports(other);
      assertThat(reading.value()).isEqualTo(ports());
      return reading.origin();
    }
  }

  private Origin ofOther(Work meanwhile) throws Exception {
    return ofOther(other -> meanwhile.run());
  }

  /** Read directly. */
  private List<String> ports() throws SQLException {
    try (Connection connection = database.dataSource().getConnection();
        ResultSet rows =
            connection.createStatement().executeQuery(PORTS.replace(":island", "'Norra'"))) {
      List<String> names = new ArrayList<>();
      while (rows.next()) {
        names.add(rows.getString(1));
      }
      return names;
    }
  }

  @Test
  void whatHasChangedIsLoadedAndTheRestIsGiven() throws Exception {
    assertThat(ofOther(() -> database.run("UPDATE port SET name = name || '!'")))
        .isEqualTo(Origin.LOADED);
    assertThat(ofOther(() -> database.run("UPDATE agent SET office = 'x' WHERE id = 1")))
        .isEqualTo(Origin.SHARED);
  }

  /** A transaction that was open when the answer was loaded, with an earlier number than others. */
  @Test
  void aChangeThatCommitsLaterIsNotMissed() throws Exception {
    try (Connection late = database.dataSource().getConnection()) {
      late.setAutoCommit(false);
      late.createStatement().execute("UPDATE port SET name = 'late' WHERE island = 'Norra'");
      database.run("UPDATE agent SET office = 'y' WHERE id = 1");
      assertThat(ofOther(late::commit)).isEqualTo(Origin.LOADED);
    }
  }

  @Test
  void aProcessThatBeginsLaterBeginsWhereItCanJudge() throws Exception {
    try (WarmShelf one = open()) {
      Waiting.until(
          "noted", () -> database.ask("SELECT count(*) FROM warm_shelf_store.place").equals("1"));
      ports(one);
      agent(one);
      untilWritten(one, 2);
      database.run("UPDATE agent SET office = 'z' WHERE id = 1");
      try (WarmShelf other = open()) {
        assertThat(ports(other).origin()).isEqualTo(Origin.SHARED);
        Reading<List<String>> agent = agent(other);
        assertThat(agent.origin()).isEqualTo(Origin.LOADED);
        assertThat(agent.value()).containsExactly("z");
      }
      database.run("DELETE FROM warm_shelf_store.place");
      try (WarmShelf third = open()) { // which knows nothing of before
        assertThat(agent(third).value()).containsExactly("z");
        assertThat(ports(third).origin()).isEqualTo(Origin.LOADED);
      }
    }
  }

  @Test
  void whatSomebodyHasClearedIsLoaded() throws Exception {
    List<Step> clearings =
        List.of(
            other -> other.clearTag("boards"),
            other -> other.clearTable("public", "port"),
            other -> other.clear(new Clearing(What.TABLE, "port", "a test")),
            other -> other.clear(new Clearing(What.SHELF, "main", "a test")),
            other -> other.clear(new Clearing(What.KEY, key(other).substring(0, 12), "a test")),
            other -> other.clear(new Clearing(What.QUERY, form(other).substring(0, 12), "a test")),
            other -> other.shelf("main").clear(),
            WarmShelf::clearAll,
            WarmShelf::schemaChanged);
    try (WarmShelf one = open();
        WarmShelf other = open()) {
      for (Step clearing : clearings) {
        long before = written(one);
        one.clearAll();
        assertThat(ports(one).origin()).isEqualTo(Origin.LOADED);
        untilWritten(one, before + 1);
        clearing.with(other);
        assertThat(ports(other).origin()).isEqualTo(Origin.LOADED);
      }
    }
    assertThat(ofOther(other -> other.clearTag("another"))).isEqualTo(Origin.SHARED);
    assertThat(ofOther(other -> other.clear(new Clearing(What.KEY, "0123456789", "a test"))))
        .isEqualTo(Origin.SHARED);
  }

  private static String key(WarmShelf warm) throws SQLException {
    return warm.query(PORTS).as(String.class).with("island", "Norra").key().digest();
  }

  private static String form(WarmShelf warm) throws SQLException {
    return warm.query(PORTS).as(String.class).with("island", "Norra").key().form().formDigest();
  }

  @Test
  void whatIsClearedEverywhereIsLoadedByEachOnce() throws Exception {
    try (WarmShelf one = open();
        WarmShelf other = open()) {
      ports(one);
      untilWritten(one, 1);
      for (What what : List.of(What.ALL, What.SHELF, What.TABLE, What.TAG, What.KEY, What.QUERY)) {
        String name =
            switch (what) {
              case ALL -> "";
              case SHELF -> "main";
              case TABLE -> "port";
              case TAG -> "boards";
              case KEY -> key(one);
              case QUERY -> form(one);
            };
        long before = written(other);
        one.clearEverywhere(new Clearing(what, name, "a test"));
        Waiting.untilDelivered(other);
        assertThat(ports(other).origin()).as("%s", what).isEqualTo(Origin.LOADED);
        untilWritten(other, before + 1);
        Waiting.untilDelivered(one); // a look after the one that told it
        assertThat(ports(one).origin()).as("%s", what).isEqualTo(Origin.SHARED);
      }
    }
  }

  @Tag("thorough")
  @Test
  void bytesThatAreNotTheAnswersAreOfNoUse() throws Exception {
    String damaged = "UPDATE warm_shelf_store.answer SET bytes = set_byte(bytes, %s, 77)";
    for (String at : List.of("0", "5", "40", "length(bytes) / 2", "length(bytes) - 1")) {
      assertThat(ofOther(() -> database.run(damaged.formatted(at)))).isEqualTo(Origin.LOADED);
    }
    for (String to : List.of("''", "'\\x01'", "substr(bytes, 1, length(bytes) - 4)")) {
      assertThat(ofOther(() -> database.run("UPDATE warm_shelf_store.answer SET bytes = " + to)))
          .isEqualTo(Origin.LOADED);
    }
    database.run("DELETE FROM warm_shelf_store.answer");
    try (WarmShelf one = open();
        WarmShelf other = open()) {
      one.query(PORTS).as(String.class).with("island", "Norra").list();
      one.query(PORTS).as(String.class).with("island", "Sodra").list();
      untilWritten(one, 2);
      database.run(
          "UPDATE warm_shelf_store.answer a SET bytes = b.bytes FROM warm_shelf_store.answer b"
              + " WHERE a.digest <> b.digest");
      assertThat(ports(other).origin()).isEqualTo(Origin.LOADED);
      assertThat(other.shared().orElseThrow().count(SharedState.Count.USELESS)).isPositive();
      SharedState state = other.shared().orElseThrow();
      assertThat(
              state.count(SharedState.Count.OUT_OF_DATE)
                  + state.count(SharedState.Count.OF_ANOTHER_PLACE)
                  + state.count(SharedState.Count.UNREADABLE))
          .isEqualTo(state.count(SharedState.Count.USELESS));
      assertThat(state.count(SharedState.Count.ASKED))
          .isEqualTo(
              state.count(SharedState.Count.NOTHING_THERE)
                  + state.count(SharedState.Count.USELESS)
                  + state.count(SharedState.Count.TAKEN));
    }
  }

  @Test
  void aStatementThatMeansSomethingElseIsLoaded() throws Exception {
    database.run("CREATE VIEW shown AS SELECT name FROM port");
    try (WarmShelf one = open()) {
      one.query("SELECT name FROM shown").as(String.class).list();
      untilWritten(one, 1);
      database.run("CREATE OR REPLACE VIEW shown AS SELECT island AS name FROM port");
      try (WarmShelf other = open()) {
        Reading<List<String>> reading =
            other.query("SELECT name FROM shown").as(String.class).list();
        assertThat(reading.origin()).isEqualTo(Origin.LOADED);
        assertThat(reading.value()).contains("Norra");
      }
    }
  }

  /** What a load that waits for a lock holds up. */
  private Origin whileOneLoads(WarmShelf one, WarmShelf other, Work then) throws Exception {
    ExecutorService threads = Executors.newFixedThreadPool(2);
    try (Connection locking = database.dataSource().getConnection()) {
      ports(one);
      ports(other); // so that both know the statement
      locking.setAutoCommit(false);
      locking.createStatement().execute("UPDATE port SET name = name || '+'");
      locking.commit();
      Waiting.untilDelivered(one);
      Waiting.untilDelivered(other);
      locking.createStatement().execute("LOCK TABLE port IN ACCESS EXCLUSIVE MODE");
      Future<Origin> first = threads.submit(() -> ports(one).origin());
      Waiting.until("it waits for the lock", () -> waitingForLock() == 1);
      Future<Origin> second = threads.submit(() -> ports(other).origin());
      Waiting.until(
          "it waits for the other process",
          () -> other.shared().orElseThrow().count(SharedState.Count.WAITED) == 1);
      then.run();
      locking.rollback();
      assertThat(first.get()).isEqualTo(Origin.LOADED);
      return second.get();
    } finally {
      threads.shutdown();
    }
  }

  private int waitingForLock() throws SQLException {
    return Integer.parseInt(
        database.ask(
            "SELECT count(*) FROM pg_stat_activity WHERE wait_event_type = 'Lock'"
                + " AND datname = current_database()"));
  }

  @Test
  void ofOneQuestionOneProcessLoads() throws Exception {
    try (WarmShelf one = open();
        WarmShelf other = open(sharing -> sharing.waitingFor(Duration.ofMinutes(1)))) {
      assertThat(whileOneLoads(one, other, () -> {})).isEqualTo(Origin.SHARED);
    }
  }

  @Test
  void aLeaseEndsWithItsHolder() throws Exception {
    try (WarmShelf one = open();
        WarmShelf other = open(sharing -> sharing.waitingFor(Duration.ofMinutes(1)))) {
      Origin second =
          whileOneLoads(
              one,
              other,
              () -> {
                database.ask(
                    "SELECT count(pg_terminate_backend(pid)) FROM pg_locks"
                        + " WHERE locktype = 'advisory' AND classid = 1463898701");
                Waiting.until("it loads, too", () -> waitingForLock() == 2);
              });
      assertThat(second).isEqualTo(Origin.LOADED);
    }
  }

  @Test
  void whatFindsNoRoomInTheQueueIsLeftOut() throws Exception {
    try (WarmShelf one = open(sharing -> sharing.queueing(1))) {
      assertThat(ports(one).origin()).isEqualTo(Origin.LOADED);
      assertThat(one.shared().orElseThrow().counts())
          .containsEntry(SharedState.Count.LEFT_OUT, 1L)
          .containsEntry(SharedState.Count.WRITTEN, 0L);
    }
  }

  @Test
  void aStoreThatIsAwayIsDoneWithoutAndFoundAgain() throws Exception {
    try (TroubledLine line = TroubledLine.to(database.postgres().getPortNumbers()[0])) {
      PGSimpleDataSource through = database.postgres();
      through.setPortNumbers(new int[] {line.port()});
      UnaryOperator<Sharing> lined =
          sharing ->
              Sharing.through(
                      PostgresStore.on(through).reading(1).answeringWithin(Duration.ofSeconds(1)))
                  .fromLoadsOf(Duration.ZERO);
      try (WarmShelf one = open();
          WarmShelf other = open(lined)) {
        ports(one);
        untilWritten(one, 1);
        line.fallSilent();
        Reading<List<String>> reading = ports(other);
        assertThat(reading.origin()).isEqualTo(Origin.LOADED);
        assertThat(other.shared().orElseThrow().trouble()).isPresent();
        long asked = other.shared().orElseThrow().count(SharedState.Count.ASKED);
        assertThat(agent(other).origin()).isEqualTo(Origin.LOADED);
        assertThat(other.shared().orElseThrow().counts())
            .containsEntry(SharedState.Count.ASKED, asked);
        line.cut();
        line.mend();
        Waiting.until("it is back", () -> other.shared().orElseThrow().trouble().isEmpty());
        agent(one);
        untilWritten(one, 2);
        other.clearTable("public", "agent");
        assertThat(agent(other).origin()).isEqualTo(Origin.LOADED); // loaded before the clearing
      }
    }
  }

  @Test
  void aStoreThatIsNotThereIsSaidAndDoneWithout() throws Exception {
    StoreSchema.remove(database.dataSource());
    try (WarmShelf one = open()) {
      assertThat(ports(one).origin()).isEqualTo(Origin.LOADED);
      assertThat(one.shared().orElseThrow().trouble().orElseThrow()).contains("shelf store create");
    }
  }
}
