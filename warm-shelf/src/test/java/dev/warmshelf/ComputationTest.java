package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.shelf.Loader;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import java.io.IOException;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.Executor;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import javax.sql.DataSource;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.postgresql.jdbc.PgConnection;

class ComputationTest {
  private static final String NAME = "SELECT name FROM port WHERE id = :id";

  private TestDatabase database;
  private WarmShelf warm;
  private DataSource door;
  private ShelvedQuery<String> names;
  private final AtomicInteger runs = new AtomicInteger();

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create();
    warm = database.shelf(5).shelf("other", policy -> policy).open();
    door = warm.dataSource();
    names = warm.query(NAME).as(String.class);
  }

  @AfterEach
  void close() {
    warm.close();
  }

  private String name(int port) throws SQLException {
    return names.with("id", port).only().value();
  }

  private String island(int port) throws SQLException {
    try (Connection connection = door.getConnection();
        PreparedStatement statement =
            connection.prepareStatement("SELECT island FROM port WHERE id = ?")) {
      statement.setInt(1, port);
      try (ResultSet row = statement.executeQuery()) {
        row.next();
        return row.getString(1);
      }
    }
  }

  /** By a query and by plain JDBC that no rule keeps. */
  private Reading<String> label(int port) throws SQLException {
    return warm.<String>computation("label")
        .get(
            () -> {
              runs.incrementAndGet();
              return name(port) + " on " + island(port);
            },
            port);
  }

  private void untilKept(Loader<Reading<?>, SQLException> asking) throws Exception {
    Waiting.until("it is kept", () -> asking.load().origin() == Origin.KEPT);
  }

  private void change(String sql) throws Exception {
    database.run(sql);
    Waiting.untilDelivered(warm);
  }

  @Test
  void isKeptUntilSomethingChangesThatItHasRead() throws Exception {
    untilKept(() -> label(1));
    int before = runs.get();
    String label = label(1).value();
    change("UPDATE notice SET version = version + 1");
    assertThat(label(1).origin()).isEqualTo(Origin.KEPT);
    assertThat(label(1).value()).isSameAs(label);
    assertThat(runs.get()).isEqualTo(before);
    change("UPDATE port SET name = 'Here' WHERE id = 1");
    assertThat(label(1).value()).startsWith("Here on ");
    change("UPDATE port SET island = 'Ytter' WHERE id = 1");
    assertThat(label(1).value()).isEqualTo("Here on Ytter");
    assertThat(label(1).origin()).isEqualTo(Origin.KEPT);
  }

  @Test
  void rowsThatItDidNotNameMayChange() throws Exception {
    ShelvedQuery<Long> booked =
        warm.query("SELECT count(*) FROM booking WHERE sailing_id = :id").as(Long.class);
    Loader<Reading<?>, SQLException> free =
        () -> warm.<Long>computation("booked").get(() -> booked.with("id", 1).only().value() + 1);
    untilKept(free);
    change("UPDATE booking SET seats = seats + 1 WHERE sailing_id = 2");
    assertThat(free.load().origin()).isEqualTo(Origin.KEPT);
    change("DELETE FROM booking WHERE sailing_id = 1");
    assertThat(free.load().value()).isEqualTo(1L);
  }

  @Test
  void howeverManyRowsItNamesAChangeToOneOfThemPutsItOut() throws Exception {
    database.run("UPDATE booking SET sailing_id = 1 WHERE sailing_id = 2");
    ShelvedQuery<Long> booked =
        warm.query("SELECT count(*) FROM booking WHERE sailing_id = :id").as(Long.class);
    Loader<Reading<?>, SQLException> all =
        () ->
            warm.<Long>computation("all")
                .get(
                    () -> {
                      long sum = 0;
                      for (int id = 1; id <= 300; id++) {
                        sum += booked.with("id", id).only().value();
                      }
                      return sum;
                    });
    untilKept(all);
    long before = (Long) all.load().value();
    change("DELETE FROM booking WHERE id = (SELECT min(id) FROM booking WHERE sailing_id = 1)");
    assertThat(all.load().value()).isEqualTo(before - 1);
    change("UPDATE notice SET version = version + 1");
    assertThat(all.load().origin()).isEqualTo(Origin.KEPT);
  }

  @Test
  void whatAnInnerOneDependsOnTheOuterDoesToo() throws Exception {
    Loader<Reading<?>, SQLException> outer =
        () -> warm.<String>computation("both").get(() -> label(1).value() + ", " + name(2));
    untilKept(outer);
    change("UPDATE port SET island = 'Ytter' WHERE id = 1");
    Reading<?> anew = outer.load();
    assertThat(anew.origin()).isEqualTo(Origin.LOADED);
    assertThat(anew.value().toString()).contains("Ytter");
    assertThat(outer.load().origin()).isEqualTo(Origin.KEPT);
    change("UPDATE port SET name = 'Elsewhere' WHERE id = 2");
    assertThat(outer.load().value().toString()).endsWith("Elsewhere");
    assertThat(label(1).origin()).isEqualTo(Origin.KEPT);
  }

  @Test
  void whatItsTasksReadOnOtherThreadsCounts() throws Exception {
    ExecutorService threads = Executors.newFixedThreadPool(2);
    try {
      Executor handing = WarmShelf.handing(threads);
      Loader<Reading<?>, SQLException> summing =
          () ->
              warm.<List<String>>computation("some")
                  .get(
                      () -> {
                        List<CompletableFuture<String>> all = new ArrayList<>();
                        for (int port = 1; port <= 3; port++) {
                          int each = port;
                          all.add(CompletableFuture.supplyAsync(() -> unchecked(each), handing));
                        }
                        return all.stream().map(CompletableFuture::join).toList();
                      });
      untilKept(summing);
      change("UPDATE port SET name = 'Third' WHERE id = 3");
      assertThat(summing.load().value().toString()).contains("Third");
      // One that waits for its own result there is told so, and does not wait.
      Computation<String> own = warm.computation("own");
      assertThatThrownBy(
              () ->
                  own.get(
                      () ->
                          CompletableFuture.supplyAsync(() -> nested(own), handing)
                              .orTimeout(20, TimeUnit.SECONDS)
                              .join()))
          .rootCause()
          .hasMessageContaining("would wait for itself");
    } finally {
      threads.shutdownNow();
    }
  }

  private String unchecked(int port) {
    try {
      return name(port);
    } catch (SQLException e) {
      throw new IllegalStateException(e);
    }
  }

  private static String nested(Computation<String> own) {
    try {
      return own.get(() -> "never").value();
    } catch (SQLException e) {
      throw new IllegalStateException(e);
    }
  }

  @Test
  void whatCannotBeKeptIsGivenToItsCallerAndSaysWhy() throws Exception {
    assertUnkept("nothing that it was made of was seen", () -> "constant");
    assertUnkept(
        "now",
        () -> {
          warm.query("SELECT now()::text").as(String.class).only();
          return name(1);
        });
    assertUnkept(
        "it changes data",
        () -> {
          try (Connection connection = door.getConnection();
              Statement statement = connection.createStatement()) {
            statement.execute("UPDATE port SET name = name WHERE id = 4");
          }
          return name(1);
        });
    assertUnkept(
        "past the shelves",
        () -> {
          try (Connection connection = door.getConnection();
              Statement statement = connection.createStatement()) {
            connection.setAutoCommit(false);
            statement.setFetchSize(2);
            try (ResultSet rows = statement.executeQuery("SELECT name FROM port")) {
              rows.next();
            }
            connection.commit();
          }
          return name(1);
        });
    assertUnkept(
        "past the shelves: UPDATE port",
        () -> {
          warm.write("UPDATE port SET name = name WHERE id = 4").run();
          return name(1);
        });
    assertUnkept(
        "past the shelves",
        () -> {
          try (Connection connection = door.getConnection();
              ResultSet tables = connection.getMetaData().getTables(null, null, "port", null)) {
            return tables.next() + name(1);
          }
        });
    assertUnkept(
        "past the shelves",
        () -> {
          try (Connection connection = door.getConnection()) {
            return connection.unwrap(PgConnection.class).getBackendPID() + name(1);
          }
        });
    assertUnkept(
        "past the shelves",
        () -> warm.inTransaction(transaction -> nameOn(transaction.connection())) + name(1));
    assertUnkept(
        "now", // of an inner one, too
        () ->
            warm.<String>computation("inner")
                .get(() -> warm.query("SELECT now()::text").as(String.class).only().value())
                .value());
    assertThatThrownBy(
            () ->
                warm.computation("failing")
                    .get(
                        () -> {
                          name(1);
                          throw new IOException("its own");
                        }))
        .isInstanceOf(IOException.class)
        .hasMessage("its own");
  }

  private void assertUnkept(String why, Loader<String, SQLException> computing) throws Exception {
    Computation<String> each = warm.computation("unkept because " + why);
    for (int i = 0; i < 3; i++) {
      Reading<String> reading = each.get(computing);
      assertThat(reading.origin()).isNotEqualTo(Origin.KEPT);
      assertThat(reading.unshared().orElse("")).contains(why);
    }
  }

  @Test
  void whoHasWrittenInHisTransactionIsGivenWhatHeHasWritten() throws Exception {
    untilKept(() -> label(1));
    try (Connection connection = door.getConnection();
        Statement statement = connection.createStatement()) {
      connection.setAutoCommit(false);
      assertThat(label(1).origin()).isEqualTo(Origin.KEPT);
      statement.execute("UPDATE port SET name = 'Mine' WHERE id = 1");
      Reading<String> own = warm.<String>computation("label").get(() -> nameOn(connection), 1);
      assertThat(own.value()).isEqualTo("Mine");
      assertThat(own.origin()).isEqualTo(Origin.DIRECT);
      assertThat(own.unshared()).contains("the transaction may have written");
      assertThat(CompletableFuture.supplyAsync(this::labelElsewhere).get()).isEqualTo(Origin.KEPT);
      connection.rollback();
      assertThat(label(1).origin()).isEqualTo(Origin.KEPT);
      statement.execute("UPDATE port SET name = 'Ours' WHERE id = 1");
      connection.commit();
    }
    assertThat(label(1).value()).startsWith("Ours");
    try (Connection connection = door.getConnection();
        Statement statement = connection.createStatement()) {
      connection.setTransactionIsolation(Connection.TRANSACTION_REPEATABLE_READ);
      connection.setAutoCommit(false);
      statement.execute("SELECT 1");
      assertThat(label(1).origin()).isEqualTo(Origin.DIRECT);
      connection.commit();
      assertThat(label(1).origin()).isEqualTo(Origin.KEPT);
    }
  }

  private Origin labelElsewhere() {
    try {
      return label(1).origin();
    } catch (SQLException e) {
      throw new IllegalStateException(e);
    }
  }

  private static String nameOn(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement();
        ResultSet row = statement.executeQuery("SELECT name FROM port WHERE id = 1")) {
      row.next();
      return row.getString(1);
    }
  }

  @Test
  void isAsFreshAsTheCallerWantsAllTheWayDown() throws Exception {
    untilKept(() -> label(1));
    int before = runs.get();
    Computation<String> outer = warm.computation("outer");
    outer.get(() -> label(1).value());
    assertThat(runs.get()).isEqualTo(before);
    Reading<String> anew = outer.freshWithin(Duration.ZERO).get(() -> label(1).value());
    assertThat(anew.origin()).isEqualTo(Origin.LOADED);
    assertThat(runs.get()).isEqualTo(before + 1);
    assertThat(warm.shelf("main").meters().loads().count()).isPositive();
  }

  @Test
  void isNoFresherAndLivesNoLongerThanWhatItIsMadeOf() throws Exception {
    try (WarmShelf slow = // its feed does not look a second time
        database
            .shelf(600_000)
            .shelf("short", policy -> policy.ttl(Duration.ofSeconds(30)))
            .open()) {
      ShelvedQuery<String> shortly = slow.query(NAME).on("short").as(String.class);
      Reading<String> inner = shortly.with("id", 1).only();
      Instant began = Instant.now();
      Reading<String> outer =
          slow.<String>computation("c").get(() -> shortly.with("id", 1).only().value());
      assertThat(outer.origin()).isEqualTo(Origin.LOADED);
      assertThat(outer.freshAsOf()).as("of a kept answer").isBefore(began);
      Duration left = inner.remainingTtl().orElseThrow();
      assertThat(outer.remainingTtl().orElseThrow()).isLessThanOrEqualTo(left);
    }
  }

  @Test
  void isNotKeptIfItIsMadeOfWhatIsOldOnPurpose() throws Exception {
    try (WarmShelf slow =
        database
            .shelf(5)
            .shelf("old", policy -> policy.serving(OldAnswers.within(Duration.ofHours(1))))
            .open()) {
      ShelvedQuery<String> old = slow.query(NAME).on("old").as(String.class);
      Reading<String> before = old.with("id", 2).only();
      database.run("UPDATE port SET name = 'New' WHERE id = 2");
      Waiting.until("it is out", () -> !before.holdsStill());
      Reading<String> made =
          slow.<String>computation("d").get(() -> old.with("id", 2).only().value());
      assertThat(made.unshared()).contains("an answer that it was made of was old on purpose");
    }
  }

  /** Worked out by its thread, it would read through the connection that the thread holds. */
  @Test
  void whoHoldsAnAlteredConnectionIsGivenNothingOfTheUsualSession() throws Exception {
    database.run("CREATE SCHEMA tenant; CREATE TABLE tenant.port AS SELECT * FROM port");
    database.run("UPDATE tenant.port SET island = 'elsewhere'");
    try (Connection held = door.getConnection();
        Statement statement = held.createStatement()) {
      Computation<String> islands = warm.computation("island");
      Loader<String, SQLException> read =
          () -> {
            try (ResultSet row = statement.executeQuery("SELECT island FROM port WHERE id = 1")) {
              row.next();
              return row.getString(1);
            }
          };
      Waiting.until("it is kept", () -> islands.get(read).origin() == Origin.KEPT);
      String usual = islands.get(read).value();
      for (String altering :
          List.of(
              "SET search_path = tenant, public",
              "SELECT set_config('search_path', 'tenant, public', false)",
              "UPDATE tenant.port SET id = id RETURNING set_config('search_path', 'tenant', false)",
              "BEGIN; SET LOCAL search_path = tenant")) {
        statement.execute(altering);
        assertThat(islands.get(read).value()).as(altering).isEqualTo("elsewhere");
        statement.execute("ROLLBACK; RESET search_path");
        assertThat(islands.get(read).value()).as(altering).isEqualTo(usual);
      }
      held.unwrap(PgConnection.class).setSchema("tenant");
      assertThat(islands.get(read).value()).isEqualTo("elsewhere");
    }
    assertThat(island(1)).isNotEqualTo("elsewhere");
  }
}
