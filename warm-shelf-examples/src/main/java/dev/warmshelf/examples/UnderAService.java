package dev.warmshelf.examples;

import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.config.ConfiguredDataSource;
import dev.warmshelf.journal.Journal;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.List;
import javax.sql.DataSource;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * An HTTP service on a pool and plain JDBC, which knows nothing of shelves: {@code GET /notices}
 * counts the notices of each island, {@code POST /notices} writes one. {@link #main} runs it over
 * its pool, and then over the same pool wrapped, with {@code warm-shelf.yaml} on the class path.
 */
public final class UnderAService implements AutoCloseable {
  private static final int REQUESTS = 50;

  private final DataSource dataSource;
  private final HttpServer server;

  /**
   * Starts on a free port of the loopback interface.
   *
   * @throws IOException if no port is free
   */
  public UnderAService(DataSource dataSource) throws IOException {
    this.dataSource = dataSource;
    this.server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    server.createContext("/notices", this::answer);
    server.start();
  }

  /** To add to what it answers. */
  HttpServer server() {
    return server;
  }

  /** Asks it. */
  HttpResponse<String> get(HttpClient client, String path) throws Exception {
    return send(client, HttpRequest.newBuilder(uri(path)).build());
  }

  private URI uri(String path) {
    return URI.create("http://127.0.0.1:" + server.getAddress().getPort() + path);
  }

  private void answer(HttpExchange exchange) throws IOException {
    try (exchange) {
      boolean writes = exchange.getRequestMethod().equals("POST");
      say(exchange, 200, writes ? write() : read());
    } catch (SQLException e) {
      exchange.sendResponseHeaders(503, -1);
    }
  }

  static void say(HttpExchange exchange, int status, String text) throws IOException {
    try (exchange) {
      byte[] body = text.getBytes(StandardCharsets.UTF_8);
      exchange.sendResponseHeaders(status, body.length);
      exchange.getResponseBody().write(body);
    }
  }

  private String read() throws SQLException {
    StringBuilder text = new StringBuilder();
    try (Connection connection = dataSource.getConnection();
        PreparedStatement statement =
            connection.prepareStatement(
                "SELECT p.island, count(n.id) FROM port p LEFT JOIN notice n ON n.port_id = p.id"
                    + " GROUP BY p.island ORDER BY p.island");
        ResultSet rows = statement.executeQuery()) {
      while (rows.next()) {
        text.append(rows.getString(1)).append(' ').append(rows.getLong(2)).append('\n');
      }
    }
    return text.toString();
  }

  private String write() throws SQLException {
    try (Connection connection = dataSource.getConnection()) {
      connection.setAutoCommit(false);
      try (PreparedStatement statement =
          connection.prepareStatement("UPDATE notice SET port_id = 1 + port_id % 12")) {
        statement.executeUpdate();
      }
      connection.commit();
    }
    return "written\n";
  }

  @Override
  public void close() {
    server.stop(0);
  }

  /**
   * Asks the service, lets it write, and asks again; without shelves and with them.
   *
   * @param arguments the database's JDBC URL
   * @throws Exception if the database cannot be followed, or no port is free
   */
  public static void main(String[] arguments) throws Exception {
    System.setProperty("sun.net.httpserver.nodelay", "true"); // else it waits for 40 ms
    PGSimpleDataSource database = new PGSimpleDataSource();
    database.setURL(arguments[0]);
    Journal.on(database).install(List.of("notice", "port")); // once per database
    try (HikariDataSource pool = pool(arguments[0])) {
      ask("pool", pool);
      try (ConfiguredDataSource wrapped = new ConfiguredDataSource(pool)) {
        ask("pool, wrapped", wrapped);
        wrapped
            .warmShelf()
            .ifPresent(
                warm ->
                    warm.statements()
                        .forEach(
                            each ->
                                System.out.printf(
                                    "%5d executed, %d from a shelf: %s%n",
                                    each.outcomes().all(),
                                    each.outcomes().hits(),
                                    each.standing())));
      }
    }
  }

  static HikariDataSource pool(String url) {
    HikariConfig config = new HikariConfig();
    config.setJdbcUrl(url);
    config.setMaximumPoolSize(4);
    return new HikariDataSource(config);
  }

  private static void ask(String what, DataSource dataSource) throws Exception {
    try (UnderAService service = new UnderAService(dataSource)) {
      HttpClient client = HttpClient.newHttpClient();
      HttpRequest writing =
          HttpRequest.newBuilder(service.uri("/notices"))
              .POST(HttpRequest.BodyPublishers.noBody())
              .build();
      String before = service.get(client, "/notices").body();
      for (int i = 1; i < REQUESTS; i++) {
        service.get(client, "/notices");
      }
      send(client, writing);
      boolean seen = !service.get(client, "/notices").body().equals(before);
      System.out.printf(
          "%-14s %d requests; after its own write the service shows %s%n",
          what, REQUESTS + 2, seen ? "what was written" : "what was before");
    }
  }

  private static HttpResponse<String> send(HttpClient client, HttpRequest request)
      throws Exception {
    return client.send(request, HttpResponse.BodyHandlers.ofString());
  }
}
