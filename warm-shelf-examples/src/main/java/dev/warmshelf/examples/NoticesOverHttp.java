package dev.warmshelf.examples;

import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.http.ReadingHeaders;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.shelf.Reading;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.sql.SQLException;
import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;
import javax.sql.DataSource;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * A port's notices over HTTP, {@code GET /ports/12/notices}, with response headers that say where
 * the answer came from and how old it is, and an entity tag: who has the answer already is sent no
 * body.
 */
public final class NoticesOverHttp implements AutoCloseable {
  record Notice(int id, String severity, String text) {}

  private final WarmShelf warm;
  private final ShelvedQuery<Notice> notices;
  private final HttpServer server;

  /**
   * Starts on a free port of the loopback interface. The database's journal is installed already.
   *
   * @throws Exception if the database cannot be followed, or no port is free
   */
  public NoticesOverHttp(DataSource dataSource) throws Exception {
    warm = WarmShelf.over(dataSource).following(JournalFeed.on(dataSource)).open();
    notices =
        warm.query("SELECT id, severity, text FROM notice WHERE port_id = :port ORDER BY id")
            .as(Notice.class);
    server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    server.createContext("/ports/", this::answer);
    server.start();
  }

  /** The TCP port it listens on. */
  public int port() {
    return server.getAddress().getPort();
  }

  /**
   * Serves the notices of one port, asks for them twice, and prints what came back.
   *
   * @param arguments the database's JDBC URL
   * @throws Exception if the database cannot be followed, or no port is free
   */
  public static void main(String[] arguments) throws Exception {
    PGSimpleDataSource dataSource = new PGSimpleDataSource();
    dataSource.setURL(arguments[0]);
    Journal.on(dataSource).install(List.of("notice:port_id"));
    try (NoticesOverHttp notices = new NoticesOverHttp(dataSource)) {
      URI uri = URI.create("http://127.0.0.1:" + notices.port() + "/ports/12/notices");
      String tag = "";
      for (int i = 0; i < 3; i++) {
        HttpRequest.Builder request = HttpRequest.newBuilder(uri);
        if (i == 2) {
          request.header(ReadingHeaders.IF_NONE_MATCH, tag);
        }
        HttpResponse<String> response =
            HttpClient.newHttpClient().send(request.build(), HttpResponse.BodyHandlers.ofString());
        tag = response.headers().firstValue(ReadingHeaders.ETAG).orElse("");
        System.out.println("GET " + uri.getPath() + ": " + response.statusCode());
        for (String header : List.of(ReadingHeaders.CACHE_STATUS, ReadingHeaders.AGE)) {
          response
              .headers()
              .firstValue(header)
              .ifPresent(value -> System.out.println("  " + header + ": " + value));
        }
        response.body().lines().limit(1).forEach(line -> System.out.println("  " + line));
      }
    }
  }

  private void answer(HttpExchange exchange) throws IOException {
    try (exchange) {
      String[] path = exchange.getRequestURI().getPath().split("/", -1);
      if (path.length != 4 || !path[2].matches("[0-9]{1,9}") || !path[3].equals("notices")) {
        exchange.sendResponseHeaders(404, -1);
        return;
      }
      Reading<List<Notice>> reading = notices.with("port", Integer.parseInt(path[2])).list();
      exchange
          .getResponseHeaders()
          .set(ReadingHeaders.CACHE_STATUS, ReadingHeaders.cacheStatus("Notices", reading));
      ReadingHeaders.age(reading)
          .ifPresent(age -> exchange.getResponseHeaders().set(ReadingHeaders.AGE, age));
      Optional<String> tag = ReadingHeaders.entityTag(reading, "text");
      tag.ifPresent(value -> exchange.getResponseHeaders().set(ReadingHeaders.ETAG, value));
      List<String> known =
          exchange.getRequestHeaders().getOrDefault(ReadingHeaders.IF_NONE_MATCH, List.of());
      if (tag.isPresent() && ReadingHeaders.isUnchanged(known, tag.get())) {
        exchange.sendResponseHeaders(304, -1);
        return;
      }
      String text =
          reading.value().stream()
              .map(notice -> notice.severity() + ": " + notice.text())
              .collect(Collectors.joining("\n"));
      byte[] body = text.getBytes(StandardCharsets.UTF_8);
      exchange.getResponseHeaders().set("Content-Type", "text/plain; charset=utf-8");
      exchange.sendResponseHeaders(200, body.length == 0 ? -1 : body.length);
      exchange.getResponseBody().write(body);
    } catch (SQLException e) {
      exchange.sendResponseHeaders(503, -1);
    }
  }

  @Override
  public void close() {
    server.stop(0);
    warm.close();
  }
}
