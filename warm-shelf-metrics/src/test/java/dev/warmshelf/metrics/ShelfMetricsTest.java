package dev.warmshelf.metrics;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.shelf.Rule;
import io.micrometer.core.instrument.FunctionTimer;
import io.micrometer.core.instrument.Meter;
import io.micrometer.core.instrument.simple.SimpleMeterRegistry;
import io.micrometer.prometheusmetrics.PrometheusConfig;
import io.micrometer.prometheusmetrics.PrometheusMeterRegistry;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.Statement;
import java.util.Locale;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.postgresql.ds.PGSimpleDataSource;

class ShelfMetricsTest {
  private static LocalPostgres server;
  private static PGSimpleDataSource source;

  private WarmShelf warm;

  @BeforeAll
  static void start() throws Exception {
    server = LocalPostgres.startForSchemas();
    source = server.dataSource("postgres");
    SkerryLine.loadTiny(source);
    Journal.on(source).install(SkerryLine.FOLLOWED);
  }

  @AfterAll
  static void stop() throws Exception {
    server.close();
  }

  @BeforeEach
  void open() throws Exception {
    warm =
        WarmShelf.over(source)
            .following(JournalFeed.on(source))
            .keeping(Rule.ofTablesAmong("port"))
            .open();
    ShelvedQuery<String> ports =
        warm.query("SELECT name FROM port WHERE id = :id").as(String.class);
    for (int i = 0; i < 3; i++) {
      ports.with("id", 1).only();
    }
    warm.query("SELECT random()").as(Double.class).only();
  }

  @AfterEach
  void close() {
    warm.close();
  }

  private void ask(String sql) throws Exception {
    try (Connection connection = warm.dataSource().getConnection();
        Statement statement = connection.createStatement();
        ResultSet result = statement.executeQuery(sql)) {
      assertThat(result.next()).isTrue();
    }
  }

  /** What a scraper reads, by name and tags. */
  @Test
  void aScraperReadsCountsTimesAndStates() throws Exception {
    PrometheusMeterRegistry registry = new PrometheusMeterRegistry(PrometheusConfig.DEFAULT);
    new ShelfMetrics(warm).bindTo(registry);
    assertThat(registry.scrape().lines())
        .contains(
            "warmshelf_lookups_total{result=\"hit\",shelf=\"main\"} 2.0",
            "warmshelf_lookups_total{result=\"miss\",shelf=\"main\"} 1.0",
            "warmshelf_bypassed_total{reason=\"refused\",shelf=\"main\"} 1.0",
            "warmshelf_entries_left_total{shelf=\"main\",why=\"evicted\"} 0.0",
            "warmshelf_load_failures_total{shelf=\"main\"} 0.0",
            "warmshelf_load_seconds_count{shelf=\"main\"} 1",
            "warmshelf_entries{shelf=\"main\"} 1.0",
            "warmshelf_feed_state{state=\"live\"} 1.0",
            "warmshelf_feed_state{state=\"lost\"} 0.0",
            "warmshelf_health{state=\"live\"} 1.0")
        .anyMatch(line -> line.startsWith("warmshelf_memory_bytes{shelf=\"main\"} "))
        .anyMatch(line -> line.startsWith("warmshelf_time_saved_seconds{shelf=\"main\"} "))
        .anyMatch(line -> line.startsWith("warmshelf_feed_lag_seconds "))
        .anyMatch(
            line ->
                line.startsWith(
                    "warmshelf_load_quantile_seconds{quantile=\"0.99\",shelf=\"main\"} "));
  }

  @Test
  void eachIsDescribedByASentence() {
    SimpleMeterRegistry all = new SimpleMeterRegistry();
    new ShelfMetrics(warm).bindTo(all);
    assertThat(all.getMeters())
        .hasSizeGreaterThan(40)
        .allSatisfy(
            meter ->
                assertThat(meter.getId().getDescription())
                    .as(meter.getId().getName())
                    .matches("(1|[A-Z]\\w+) .*\\w\\."));
    assertThatThrownBy(() -> Descriptions.of("nothing of ours"))
        .hasMessageContaining("nothing of ours");
  }

  @Test
  void eachCountIsShown() {
    SimpleMeterRegistry registry = new SimpleMeterRegistry();
    new ShelfMetrics(warm).bindTo(registry);
    String shown =
        String.join(
            " ", registry.getMeters().stream().map(Meter::getId).map(Object::toString).toList());
    for (Count count : Count.values()) {
      String name = count.label().replaceAll("([A-Z])", ".$1").toLowerCase(Locale.ROOT);
      String otherwise =
          switch (count) {
            case HITS -> "lookups";
            case MISSES -> "lookups";
            case INVALIDATED, EXPIRED, EVICTED -> "entries.left";
            case MENDED, MENDING_NANOS -> "mend";
            case SPARED_NANOS, BEYOND_LOADS_NANOS -> "time.saved";
            case TIMED_HITS, TIMED_HIT_NANOS -> "hit";
            default -> name;
          };
      assertThat(shown).contains("name='warmshelf." + otherwise + "'");
    }
  }

  @Test
  void queriesAreToldApartByNameOrDigestUpToABound() throws Exception {
    SimpleMeterRegistry registry = new SimpleMeterRegistry();
    new ShelfMetrics(warm, 3).bindTo(registry);
    ShelvedQuery<Long> named =
        warm.query("SELECT id FROM agent WHERE id = :id").named("agent by id").as(Long.class);
    for (int i = 0; i < 5; i++) {
      named.with("id", 1).first();
      ask("SELECT id FROM vessel");
    }
    assertThat(registry.get("warmshelf.queries.known").gauge().value()).isEqualTo(3);
    ask("SELECT id FROM agent");
    assertThat(registry.get("warmshelf.queries.known").gauge().value()).isEqualTo(3);
    assertThat(answered(registry, "agent by id", "hit")).isEqualTo(4);
    assertThat(answered(registry, "agent by id", "miss")).isEqualTo(1);
    assertThat(answered(registry, digestOf("select id from vessel"), "direct")).isEqualTo(5);
    assertThat(answered(registry, digestOf("select name from port where id = $1"), "hit"))
        .isEqualTo(2);
    assertThat(answered(registry, "others", "direct")).isEqualTo(2); // random() and the agents
  }

  @Test
  void needlessReloadsAreToldByTable() throws Exception {
    SimpleMeterRegistry registry = new SimpleMeterRegistry();
    new ShelfMetrics(warm).bindTo(registry);
    assertThat(registry.get("warmshelf.needless.tables").gauge().value()).isZero();
    ShelvedQuery<Long> nowhere =
        warm.query("SELECT count(*) FROM port WHERE name = 'nowhere'").as(Long.class);
    for (int i = 0; i < 3; i++) {
      nowhere.only();
      try (Connection connection = warm.dataSource().getConnection();
          Statement statement = connection.createStatement()) {
        statement.executeUpdate("UPDATE port SET name = name || '.' WHERE id = 2");
      }
    }
    assertThat(registry.get("warmshelf.needless.tables").gauge().value()).isEqualTo(1);
    FunctionTimer reloads =
        registry.get("warmshelf.needless.reloads").tag("table", "public.port").functionTimer();
    assertThat(reloads.count()).isEqualTo(2);
    assertThat(reloads.totalTime(TimeUnit.NANOSECONDS)).isPositive();
  }

  private String digestOf(String form) {
    return warm.statements().stream()
        .filter(each -> each.normalForm().equals(form))
        .findFirst()
        .orElseThrow(() -> new AssertionError(warm.statements()))
        .formDigest();
  }

  private static double answered(SimpleMeterRegistry registry, String query, String result) {
    return registry
        .get("warmshelf.queries")
        .tag("query", query)
        .tag("result", result)
        .functionCounter()
        .count();
  }
}
