package dev.warmshelf.cli.program;

import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import dev.warmshelf.cli.screen.Failure;
import java.io.IOException;
import java.io.InputStream;
import java.io.StringReader;
import java.net.BindException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.security.SecureRandom;
import java.util.Base64;
import java.util.Map;
import java.util.Properties;
import java.util.Set;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;

/**
 * Serves the live page to browsers of this machine: on the loopback alone, under an address that
 * nobody can guess, so that other users of the machine, and pages of other origins, see nothing.
 */
public final class WatchPage implements AutoCloseable {
  private static final int SECRET_BYTES = 12;
  private static final int OK = 200;
  private static final int FORBIDDEN = 403;
  private static final int NOT_FOUND = 404;
  private static final int METHOD_NOT_ALLOWED = 405;
  private static final Pattern LOOKS = Pattern.compile("after=(-?\\d{1,18})");
  private static final String UPLOT = "/META-INF/resources/webjars/uplot/%s/dist/";
  private static final String UPLOT_VERSION =
      "/META-INF/maven/org.webjars.npm/uplot/pom.properties";

  /** What there is beside the page itself, with its media type. */
  private static final Map<String, String> FILES =
      Map.of(
          "page.css", "text/css; charset=utf-8",
          "page.js", "text/javascript; charset=utf-8",
          "uPlot.min.css", "text/css; charset=utf-8",
          "uPlot.iife.min.js", "text/javascript; charset=utf-8");

  private final PageLooks looks;
  private final HttpServer server;
  private final ExecutorService threads;
  private final String root;
  private final Set<String> hosts;

  /**
   * Serves.
   *
   * @param port 0 for any that is free
   * @throws Failure if the port is taken
   */
  public WatchPage(PageLooks looks, int port) throws Failure {
    this.looks = looks;
    byte[] secret = new byte[SECRET_BYTES];
    new SecureRandom().nextBytes(secret);
    this.root = "/" + Base64.getUrlEncoder().withoutPadding().encodeToString(secret) + "/";
    try {
      InetAddress loopback = InetAddress.getByAddress(new byte[] {127, 0, 0, 1});
      this.server = HttpServer.create(new InetSocketAddress(loopback, port), 0);
    } catch (BindException e) {
      throw new Failure(
          "Port " + port + " is taken. Give another one with --port, or none for any that is free.",
          e);
    } catch (IOException e) {
      throw Failure.of("The page cannot be served", e);
    }
    int served = server.getAddress().getPort();
    this.hosts = Set.of("127.0.0.1:" + served, "localhost:" + served);
    this.threads =
        Executors.newFixedThreadPool(
            2,
            work -> {
              Thread thread = new Thread(work, "shelf-watch-page");
              thread.setDaemon(true);
              return thread;
            });
    server.setExecutor(threads);
    server.createContext("/", this::answer);
    server.start();
  }

  /** Where it is. */
  public String address() {
    return "http://127.0.0.1:" + server.getAddress().getPort() + root;
  }

  private void answer(HttpExchange exchange) throws IOException {
    try (exchange) {
      String path = exchange.getRequestURI().getPath();
      String host = String.valueOf(exchange.getRequestHeaders().getFirst("Host"));
      if (!hosts.contains(host)) {
        send(exchange, FORBIDDEN, "text/plain", "Only for this machine.\n");
      } else if (!path.startsWith(root)) {
        send(exchange, NOT_FOUND, "text/plain", "Open the address that shelf watch printed.\n");
      } else if (!exchange.getRequestMethod().equals("GET")) {
        exchange.getResponseHeaders().set("Allow", "GET");
        send(exchange, METHOD_NOT_ALLOWED, "text/plain", "Only GET.\n");
      } else {
        answer(exchange, path.substring(root.length()), exchange.getRequestURI().getQuery());
      }
    }
  }

  private void answer(HttpExchange exchange, String file, @Nullable String query)
      throws IOException {
    String type = FILES.get(file);
    if (file.isEmpty()) {
      send(exchange, OK, "text/html; charset=utf-8", resource("watch/page.html"));
    } else if (type != null) {
      send(
          exchange, OK, type, file.startsWith("uPlot") ? plotter(file) : resource("watch/" + file));
    } else if (file.equals("looks")) {
      Matcher after = LOOKS.matcher(query == null ? "" : query);
      String all = looks.after(after.matches() ? Long.parseLong(after.group(1)) : -1);
      send(exchange, OK, "application/json", all);
    } else {
      send(exchange, NOT_FOUND, "text/plain", "There is no such thing here.\n");
    }
  }

  /** A file of the library that draws the plots, which is a jar of its own. */
  private static String plotter(String file) throws IOException {
    Properties about = new Properties();
    about.load(new StringReader(resource(UPLOT_VERSION)));
    return resource(UPLOT.formatted(about.getProperty("version")) + file);
  }

  private static String resource(String name) throws IOException {
    try (InputStream in = WatchPage.class.getResourceAsStream(name)) {
      if (in == null) {
        throw new IOException(name + " is missing from the program");
      }
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
  }

  private static void send(HttpExchange exchange, int status, String type, String text)
      throws IOException {
    exchange.getResponseHeaders().set("Content-Type", type);
    exchange.getResponseHeaders().set("Cache-Control", "no-store");
    exchange.getResponseHeaders().set("X-Content-Type-Options", "nosniff");
    exchange.getResponseHeaders().set("Referrer-Policy", "no-referrer");
    exchange
        .getResponseHeaders()
        .set(
            "Content-Security-Policy",
            "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self';"
                + " img-src data:; base-uri 'none'; form-action 'none'; frame-ancestors 'none'");
    byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
    exchange.sendResponseHeaders(status, bytes.length == 0 ? -1 : bytes.length);
    exchange.getResponseBody().write(bytes);
  }

  @Override
  public void close() {
    server.stop(0);
    threads.shutdownNow();
  }
}
