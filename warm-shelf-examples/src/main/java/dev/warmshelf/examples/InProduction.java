package dev.warmshelf.examples;

import com.sun.net.httpserver.HttpExchange;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.Health;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.config.ConfiguredDataSource;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.metrics.ShelfMetrics;
import io.micrometer.prometheusmetrics.PrometheusConfig;
import io.micrometer.prometheusmetrics.PrometheusMeterRegistry;
import java.io.IOException;
import java.net.http.HttpClient;
import java.net.http.HttpResponse;
import java.util.List;
import java.util.Locale;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * The service of {@link UnderAService} with what its operators ask for: {@code GET /health} says
 * how the shelves are, by the status, too; {@code GET /metrics} is for a scraper. Where the shelves
 * are turned off it is well, and has no metrics of theirs.
 */
public final class InProduction implements AutoCloseable {
  private static final int REQUESTS = 100;

  private final ConfiguredDataSource dataSource;
  private final UnderAService service;
  private final PrometheusMeterRegistry registry =
      new PrometheusMeterRegistry(PrometheusConfig.DEFAULT);

  /**
   * Starts on a free port of the loopback interface.
   *
   * @throws IOException if no port is free
   */
  public InProduction(ConfiguredDataSource dataSource) throws IOException {
    this.dataSource = dataSource;
    dataSource.warmShelf().ifPresent(warm -> new ShelfMetrics(warm).bindTo(registry));
    this.service = new UnderAService(dataSource);
    service.server().createContext("/health", this::health);
    service
        .server()
        .createContext("/metrics", exchange -> UnderAService.say(exchange, 200, registry.scrape()));
  }

  private void health(HttpExchange exchange) throws IOException {
    WarmShelf warm = dataSource.warmShelf().orElse(null);
    if (warm == null) {
      UnderAService.say(exchange, 200, "turned off: the database answers\n");
      return;
    }
    Health health = warm.health();
    StringBuilder text = new StringBuilder(health.state().name().toLowerCase(Locale.ROOT));
    text.append(health.why().isEmpty() ? "\n" : ": " + health.why() + "\n");
    health.shelves().forEach((shelf, gives) -> text.append(shelf + ": " + gives + "\n"));
    UnderAService.say(exchange, health.isWell() ? 200 : 503, text.toString());
  }

  @Override
  public void close() {
    service.close();
  }

  /**
   * Asks the service, and then how it is.
   *
   * @param arguments the database's JDBC URL
   * @throws Exception if the database cannot be followed, or no port is free
   */
  public static void main(String[] arguments) throws Exception {
    System.setProperty("sun.net.httpserver.nodelay", "true"); // else it waits for 40 ms
    PGSimpleDataSource database = new PGSimpleDataSource();
    database.setURL(arguments[0]);
    Journal.on(database).install(List.of("notice", "port")); // once per database
    HttpClient client = HttpClient.newHttpClient();
    try (HikariDataSource pool = UnderAService.pool(arguments[0]);
        ConfiguredDataSource shelves = new ConfiguredDataSource(pool);
        InProduction program = new InProduction(shelves)) {
      for (int i = 0; i < REQUESTS; i++) {
        program.service.get(client, "/notices");
      }
      HttpResponse<String> health = program.service.get(client, "/health");
      System.out.print("health " + health.statusCode() + " " + health.body());
      program
          .service
          .get(client, "/metrics")
          .body()
          .lines()
          .filter(
              line -> line.matches("warmshelf_(lookups|health|feed_state|entries)[_{].*[1-9].*"))
          .forEach(System.out::println);
    }
  }
}
