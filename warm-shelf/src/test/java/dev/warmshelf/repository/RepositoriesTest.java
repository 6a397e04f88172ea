package dev.warmshelf.repository;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.TestDatabase;
import dev.warmshelf.Waiting;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import java.io.InputStream;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.concurrent.Callable;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

class RepositoriesTest {
  private TestDatabase database;
  private HikariDataSource pool;
  private WarmShelf warm;
  private Harbour plain;
  private Harbour beneath;
  private Harbour kept;

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create();
    HikariConfig config = new HikariConfig();
    config.setDataSource(database.dataSource());
    pool = new HikariDataSource(config);
    warm =
        WarmShelf.over(pool)
            .following(JournalFeed.on(database.dataSource()).polling(Duration.ofMillis(5)))
            .shelf("other", policy -> policy)
            .open();
    plain = Harbour.of(pool);
    beneath = Harbour.of(warm.dataSource());
    kept = Repositories.over(warm).wrap(Harbour.class, beneath);
  }

  @AfterEach
  void close() {
    warm.close();
    pool.close();
  }

  private long hits() {
    return warm.shelves().stream()
        .mapToLong(shelf -> shelf.meters().snapshot().get(Count.HITS))
        .sum();
  }

  private void untilHit(Callable<?> call) throws Exception {
    Waiting.until(
        "it is kept",
        () -> {
          long before = hits();
          call.call();
          return hits() > before;
        });
  }

  /** What a call gives, as something that compares: an exception by its text. */
  private static Object outcome(Callable<?> call) {
    try {
      Object result = call.call();
      if (result instanceof String[] array) {
        return List.of(array);
      } else if (result instanceof java.util.stream.Stream<?> stream) {
        return stream.toList();
      }
      return result == null ? "null" : result;
    } catch (Exception e) {
      return e.getClass() + e.getMessage();
    }
  }

  private static Callable<?> call(Harbour on, int method, Random random) {
    int port = random.nextInt(9);
    int sailing = 1 + random.nextInt(3);
    String island = List.of("Norra", "Ytter", "Nowhere").get(random.nextInt(3));
    Optional<String> status = random.nextBoolean() ? Optional.of("OPEN") : Optional.empty();
    return switch (method) {
      case 0 -> () -> on.find(port);
      case 1 -> () -> on.maybe(port);
      case 2 -> () -> on.on(new Harbour.Wanted(island, status));
      case 3 -> () -> on.booked(sailing);
      case 4 -> on::codes;
      case 5 -> on::islands;
      case 6 -> on::names;
      case 7 -> () -> on.status(port, "trace " + random.nextInt());
      case 8 -> () -> on.require(port);
      case 9 -> () -> on.label(port);
      case 10 -> () -> on.rename(port, "Port " + random.nextInt(3));
      default -> () -> on.book(sailing, 1);
    };
  }

  @Test
  void anySequenceOfCallsGivesWhatThePlainOneGivesWithWritersBeside() throws Exception {
    Random random = new Random(4);
    for (int step = 0; step < 400; step++) {
      int method = random.nextInt(12);
      long seed = random.nextLong();
      if (method >= 10) {
        call(random.nextBoolean() ? kept : plain, method, new Random(seed)).call();
        if (random.nextBoolean()) {
          database.run("UPDATE port SET island = 'Ytter' WHERE id = " + random.nextInt(9));
        }
        Waiting.untilDelivered(warm);
      } else {
        assertThat(outcome(call(kept, method, new Random(seed))))
            .as("step %d, method %d", step, method)
            .isEqualTo(outcome(call(plain, method, new Random(seed))));
      }
    }
    assertThat(hits()).isGreaterThan(30);
  }

  @Test
  void whatCallersAreGivenTheyCannotChangeForOthers() throws Exception {
    untilHit(kept::names);
    assertThatThrownBy(() -> kept.names().put(1, "x"))
        .isInstanceOf(UnsupportedOperationException.class);
    kept.codes()[0] = "changed";
    assertThat(kept.codes()).isEqualTo(plain.codes());
    assertThat(kept.islands().toList()).isEqualTo(kept.islands().toList());
    assertThat(kept).isEqualTo(Repositories.over(warm).wrap(Harbour.class, beneath));
    assertThat(kept).isNotEqualTo(plain);
    assertThat(kept.hashCode()).isEqualTo(beneath.hashCode());
    assertThat(kept.toString()).isEqualTo(beneath.toString());
  }

  @Test
  void parametersThatMakeNoDifferenceAreLeftOut() throws Exception {
    untilHit(() -> kept.status(2, "trace " + System.nanoTime()));
  }

  @Test
  void resultsAreDroppedOnceTheTransactionHasCommittedAndNotBefore() throws Exception {
    try (WarmShelf slow =
        WarmShelf.over(pool)
            .onTtlAlone()
            .shelf("other", policy -> policy)
            .shelf("main", policy -> policy.ttl(Duration.ofHours(1)))
            .open()) {
      Connection[] held = {null};
      Touching target =
          new Touching() {
            @Override
            public String name(int id) throws SQLException {
              return Harbour.of(slow.dataSource()).find(id).name();
            }

            @Override
            public void touch(int id) throws SQLException {
              try (Statement statement = held[0].createStatement()) {
                statement.execute("UPDATE notice SET version = version WHERE id = 1");
              }
            }
          };
      Touching wrapped = Repositories.over(slow).wrap(Touching.class, target);
      try (Connection connection = slow.dataSource().getConnection()) {
        held[0] = connection;
        Waiting.until( // or a commit without a feed invalidates everything
            "it is known what the statement writes",
            () -> {
              int first = System.identityHashCode(wrapped.name(2));
              wrapped.touch(3);
              return System.identityHashCode(wrapped.name(2)) == first;
            });
      }
      String before = wrapped.name(1);
      database.run("UPDATE port SET name = 'Told by nobody'");
      assertThat(wrapped.name(1)).isSameAs(before);
      try (Connection connection = slow.dataSource().getConnection()) {
        held[0] = connection;
        connection.setAutoCommit(false);
        wrapped.touch(1);
        assertThat(elsewhere(() -> wrapped.name(1))).isSameAs(before);
        connection.rollback();
        assertThat(wrapped.name(1)).isSameAs(before);
        wrapped.touch(1);
        assertThat(elsewhere(() -> wrapped.name(1))).isSameAs(before);
        connection.commit();
        assertThat(wrapped.name(1)).isEqualTo("Told by nobody");
        assertThat(wrapped.name(2)).as("of another input").isNotEqualTo("Told by nobody");
        connection.setAutoCommit(true);
        wrapped.touch(2);
        assertThat(wrapped.name(2)).isEqualTo("Told by nobody");
      }
    }
  }

  /** Drops what no feed tells of. */
  interface Touching {
    @Kept
    String name(int id) throws SQLException;

    @Drops("name")
    void touch(int id) throws SQLException;
  }

  private static Object elsewhere(Callable<?> call) throws Exception {
    Object[] found = {null};
    Thread thread = new Thread(() -> found[0] = outcome(call));
    thread.start();
    thread.join();
    return found[0];
  }

  /** With all that does not fit. */
  @SuppressWarnings({"JdkObsolete", "NonApiType"})
  interface Unfit {
    @Kept
    void nothing();

    @Kept(on = "nowhere")
    int shelf();

    @Kept
    Iterator<String> once();

    @Kept
    java.util.LinkedList<String> changeable();

    @Kept
    int of(InputStream in);

    @Kept(leavingOut = "nobody")
    int leaves(int one);

    @Drops("unknown")
    void drops();
  }

  @Test
  void whatDoesNotFitIsSaidWhenItIsWrappedAndAllAtOnce() {
    Unfit unfit =
        (Unfit)
            java.lang.reflect.Proxy.newProxyInstance(
                Unfit.class.getClassLoader(), new Class<?>[] {Unfit.class}, (p, m, a) -> null);
    assertThatThrownBy(() -> Repositories.over(warm).wrap(Unfit.class, unfit))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessageContaining("nothing: it returns nothing that could be kept")
        .hasMessageContaining("shelf: there is no shelf 'nowhere'")
        .hasMessageContaining("once: it returns java.util.Iterator, which can be used but once")
        .hasMessageContaining("changeable: it returns java.util.LinkedList")
        .hasMessageContaining("of: its parameter 'in' is of java.io.InputStream")
        .hasMessageContaining("leaves: it has no parameter 'nobody' to leave out; it has [one]")
        .hasMessageContaining("drops: it drops the results of 'unknown', which are not kept");
    assertThatThrownBy(
            () ->
                Repositories.over(
                        warm, Map.of(Harbour.class.getName(), Map.of("nil", MethodRule.kept())))
                    .wrap(Harbour.class, beneath))
        .hasMessageContaining("it has no method 'nil'");
    Repositories twice = Repositories.over(warm);
    twice.wrap(Harbour.class, beneath);
    assertThatThrownBy(() -> twice.wrap(Harbour.class, plain))
        .hasMessageContaining("give each a name");
    assertThat(twice.wrap(Harbour.class, plain, "another")).isNotNull();
  }

  /** Without a word of ours. */
  interface Bare {
    String name(int id) throws SQLException;
  }

  @Test
  void rulesDoWithoutAnnotations() throws Exception {
    Bare bare =
        Repositories.over(warm, Map.of(Bare.class.getName(), Map.of("name", MethodRule.kept())))
            .wrap(Bare.class, id -> beneath.find(id).name());
    untilHit(() -> bare.name(1));
  }
}
