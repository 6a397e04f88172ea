package dev.warmshelf.boot;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.Health;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.config.ShelvedDriver;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.meter.Count;
import dev.warmshelf.scenario.LocalPostgres;
import io.micrometer.core.instrument.MeterRegistry;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import javax.sql.DataSource;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import org.postgresql.ds.PGSimpleDataSource;
import org.springframework.boot.actuate.health.HealthEndpoint;
import org.springframework.boot.builder.SpringApplicationBuilder;
import org.springframework.context.ConfigurableApplicationContext;
import org.springframework.dao.OptimisticLockingFailureException;

/**
 * A service with persistence, a pool, migrations that also install the journal, and optimistic
 * locks: its own tests, without shelves and with them in both ways, first on an empty database.
 */
class BerthServiceTest {
  private static LocalPostgres server;
  private static int databases;

  @TempDir private Path directory;
  private ConfigurableApplicationContext context;
  private Harbour harbour;
  private PGSimpleDataSource database;

  /** How shelves are put under it. */
  enum Way {
    WITHOUT,
    ABOVE_THE_POOL,
    BELOW_THE_POOL;

    boolean hasShelves() {
      return this != WITHOUT;
    }
  }

  @BeforeAll
  static void startServer() throws Exception {
    server = LocalPostgres.start();
  }

  @AfterAll
  static void stopServer() throws Exception {
    server.close();
  }

  @AfterEach
  void stop() {
    if (context != null) {
      context.close();
    }
    ShelvedDriver.closeAll();
  }

  private static PGSimpleDataSource emptyDatabase() throws Exception {
    String name = "berths_" + ++databases;
    run(server.dataSource("postgres"), "CREATE DATABASE " + name);
    return server.dataSource(name);
  }

  private static void run(DataSource on, String sql) throws Exception {
    try (Connection connection = on.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }

  /** What 'shelf feed install --print' prints, beside the service's own migrations. */
  private void journalAsMigration() throws Exception {
    PGSimpleDataSource scratch = emptyDatabase();
    String tables;
    try (var in = getClass().getResourceAsStream("/db/migration/V1__tables.sql")) {
      tables = new String(in.readAllBytes(), java.nio.charset.StandardCharsets.UTF_8);
    }
    run(scratch, tables);
    Files.writeString(
        directory.resolve("V2__journal.sql"),
        Journal.on(scratch).script(List.of("berth:id,port")));
  }

  private void start(Way way) throws Exception {
    database = emptyDatabase();
    journalAsMigration();
    Path file = Path.of(getClass().getResource("/berths.yaml").toURI());
    List<String> arguments =
        new ArrayList<>(
            List.of(
                "--spring.datasource.username=" + database.getUser(),
                "--spring.datasource.password=" + database.getPassword(),
                "--spring.datasource.hikari.maximum-pool-size=4",
                "--spring.jpa.open-in-view=false",
                "--spring.main.banner-mode=off",
                "--management.endpoint.health.show-details=always",
                "--spring.flyway.locations=classpath:db/migration,filesystem:" + directory));
    String url = database.getURL();
    if (way == Way.BELOW_THE_POOL) {
      url = url.replace("jdbc:", ShelvedDriver.PREFIX);
      url += (url.contains("?") ? "&" : "?") + ShelvedDriver.CONFIG + "=" + file;
      arguments.add("--spring.datasource.driver-class-name=" + ShelvedDriver.class.getName());
    } else if (way == Way.ABOVE_THE_POOL) {
      arguments.add("--shelves.file=" + file);
    }
    arguments.add("--spring.datasource.url=" + url);
    context = new SpringApplicationBuilder(BerthService.class).run(arguments.toArray(new String[0]));
    harbour = context.getBean(Harbour.class);
    if (way.hasShelves()) {
      until(() -> shelves().health().state() == Health.State.LIVE);
    }
  }

  private static WarmShelf shelves() {
    return WarmShelf.named("berths").orElseThrow();
  }

  private interface Condition {
    boolean holds() throws Exception;
  }

  private static void until(Condition condition) throws Exception {
    long deadline = System.nanoTime() + TimeUnit.SECONDS.toNanos(30);
    while (!condition.holds()) {
      assertThat(System.nanoTime()).isLessThan(deadline);
      LockSupport.parkNanos(1_000_000);
    }
  }

  private static long hits() {
    return shelves().shelf(WarmShelf.MAIN_SHELF).meters().snapshot().get(Count.HITS);
  }

  @ParameterizedTest
  @EnumSource(Way.class)
  void readsAreKeptAndWritesAreSeenAtOnce(Way way) throws Exception {
    start(way);
    for (int i = 1; i <= 20; i++) {
      harbour.moor(i, "Alma " + i);
      assertThat(harbour.vessels("Norrhamn").get(i - 1)).isEqualTo("Alma " + i);
      assertThat(harbour.free("Norrhamn")).isEqualTo(20 - i);
      assertThat(harbour.neighbours("Norrhamn")).isEqualTo(20);
    }
    if (way.hasShelves()) {
      long before = hits();
      until(
          () -> {
            harbour.vessels("Norrhamn");
            harbour.neighbours("Norrhamn");
            return hits() > before + 20;
          });
      assertThat(shelves().health().isWell()).as("%s", shelves().health()).isTrue();
      assertThat(context.getBean(MeterRegistry.class).get("warmshelf.lookups").tag("result", "hit").functionCounters())
          .anySatisfy(hits -> assertThat(hits.count()).isPositive());
      assertThat(context.getBean(HealthEndpoint.class).healthForPath("shelves").toString())
          .contains("UP", "LIVE");
    }
    run(database, "UPDATE berth SET vessel = 'Other', version = version + 1 WHERE id = 7");
    until(() -> harbour.vessels("Norrhamn").get(6).equals("Other"));
  }

  @ParameterizedTest
  @EnumSource(Way.class)
  void anOptimisticLockHolds(Way way) throws Exception {
    start(way);
    harbour.moor(1, "First");
    for (int i = 0; i < 10; i++) {
      harbour.vessels("Norrhamn");
    }
    assertThatThrownBy(
            () ->
                harbour.moor(
                    1,
                    "Mine",
                    () -> {
                      Thread other = new Thread(() -> harbour.moor(1, "Theirs"));
                      other.start();
                      try {
                        other.join();
                      } catch (InterruptedException e) {
                        Thread.currentThread().interrupt();
                      }
                    }))
        .isInstanceOf(OptimisticLockingFailureException.class);
    assertThat(harbour.vessels("Norrhamn").get(0)).isEqualTo("Theirs");
    harbour.moor(1, "Mine after all");
    assertThat(harbour.vessels("Norrhamn").get(0)).isEqualTo("Mine after all");
  }

  @ParameterizedTest
  @EnumSource(Way.class)
  void whatIsRolledBackWasNeverThere(Way way) throws Exception {
    start(way);
    harbour.vessels("Norrhamn");
    for (int i = 0; i < 5; i++) {
      assertThatThrownBy(() -> harbour.moorAndFail(2, "Ghost")).hasMessageContaining("frozen");
      assertThat(harbour.vessels("Norrhamn")).doesNotContain("Ghost");
      assertThat(harbour.apart("Norrhamn")).doesNotContain("Ghost");
    }
  }

  @ParameterizedTest
  @EnumSource(Way.class)
  void manyThreadsSeeTheirOwn(Way way) throws Exception {
    start(way);
    List<Throwable> failures = new java.util.concurrent.CopyOnWriteArrayList<>();
    Thread[] threads = new Thread[8];
    for (int t = 0; t < threads.length; t++) {
      int berth = 21 + t;
      threads[t] =
          new Thread(
              () -> {
                try {
                  for (int i = 0; i < 25; i++) {
                    harbour.moor(berth, berth + " " + i);
                    for (int again = 0; again < 3; again++) {
                      assertThat(harbour.vessels("Sund").get(berth - 21)).isEqualTo(berth + " " + i);
                    }
                  }
                } catch (Throwable e) {
                  failures.add(e);
                }
              });
    }
    Arrays.stream(threads).forEach(Thread::start);
    for (Thread each : threads) {
      each.join();
    }
    assertThat(failures).isEmpty();
  }
}
