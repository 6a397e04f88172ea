package dev.warmshelf.examples;

import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.http.ReadingHeaders;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.shelf.Reading;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.sql.SQLException;
import java.util.List;
import java.util.stream.Collectors;
import javax.sql.DataSource;

/**
 * A port's notices over HTTP, {@code GET /ports/12/notices}, with response headers that say where
 * the answer came from and how old it is.
 */
public final class NoticesOverHttp implements AutoCloseable {
  record Notice(int id, String severity, String text) {}

  private final WarmShelf warm;
  private final ShelvedQuery<Notice> notices;
  private final HttpServer server;

  /**
   * Starts on a free port of the loopback interface. The database's journal is installed already.
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
