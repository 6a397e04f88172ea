package dev.warmshelf.cli.program;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.BufferedReader;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.WebSocket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Base64;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Stream;

/**
 * A real browser without a screen, which opens one page. It is spoken to by the Chrome DevTools
 * Protocol, one JSON object a message.
 */
final class Browser implements AutoCloseable {
  private static final ObjectMapper MAPPER = new ObjectMapper();
  private static final int SECONDS = 30;
  private static final Map<String, Integer> KEYS =
      Map.of(
          "Tab",
          9,
          "Escape",
          27,
          "End",
          35,
          "Home",
          36,
          "ArrowLeft",
          37,
          "ArrowRight",
          39,
          " ",
          32);

  private final Process process;
  private final WebSocket socket;
  private final AtomicInteger ids = new AtomicInteger();
  private final Map<Integer, CompletableFuture<JsonNode>> asked = new ConcurrentHashMap<>();
  private final List<String> problems = new CopyOnWriteArrayList<>();
  private final String session;

  /** Where one is installed; empty if none is. */
  static Optional<Path> installed() {
    return Stream.of("chromium", "chromium-browser", "google-chrome", "chrome")
        .flatMap(
            name ->
                Stream.of(System.getenv("PATH").split(java.io.File.pathSeparator, -1))
                    .map(directory -> Path.of(directory, name)))
        .filter(Files::isExecutable)
        .findFirst();
  }

  /** Starts it, with what it keeps in a directory. */
  Browser(Path program, Path directory, String url) throws Exception {
    process =
        new ProcessBuilder(
                program.toString(),
                "--headless",
                "--no-sandbox",
                "--disable-gpu",
                "--disable-quic",
                "--no-first-run",
                "--disable-background-networking",
                "--disable-component-update",
                "--disable-sync",
                "--window-size=1280,800",
                "--remote-debugging-port=0",
                "--user-data-dir=" + directory,
                "about:blank")
            .redirectErrorStream(true)
            .start();
    String address = address(process.inputReader());
    socket =
        HttpClient.newHttpClient()
            .newWebSocketBuilder()
            .buildAsync(URI.create(address), new Listener())
            .get(SECONDS, TimeUnit.SECONDS);
    String target =
        say("", "Target.createTarget", Map.of("url", "about:blank")).get("targetId").asText();
    session =
        say("", "Target.attachToTarget", Map.of("targetId", target, "flatten", true))
            .get("sessionId")
            .asText();
    for (String domain : List.of("Runtime", "Log", "Page", "Accessibility")) {
      say(domain + ".enable", Map.of());
    }
    say("Page.navigate", Map.of("url", url));
  }

  private static String address(BufferedReader said) throws IOException {
    String begin = "DevTools listening on ";
    String line = said.readLine();
    while (line != null && !line.startsWith(begin)) {
      line = said.readLine();
    }
    if (line == null) {
      throw new IOException("The browser has ended.");
    }
    Thread rest = new Thread(() -> said.lines().forEach(each -> {}), "browser-output");
    rest.setDaemon(true);
    rest.start();
    return line.substring(begin.length());
  }

  private final class Listener implements WebSocket.Listener {
    private final StringBuilder text = new StringBuilder();

    @Override
    public CompletionStage<?> onText(WebSocket from, CharSequence part, boolean last) {
      text.append(part);
      if (last) {
        heard(text.toString());
        text.setLength(0);
      }
      from.request(1);
      return CompletableFuture.completedFuture(null);
    }
  }

  private void heard(String message) {
    try {
      JsonNode node = MAPPER.readTree(message);
      if (node.has("id")) {
        asked.remove(node.get("id").asInt()).complete(node);
      } else if (node.path("method").asText().matches("Runtime.exceptionThrown|Log.entryAdded")) {
        problems.add(node.get("params").toString());
      }
    } catch (IOException e) {
      problems.add(e.toString());
    }
  }

  private JsonNode say(String method, Map<String, ?> parameters) throws Exception {
    return say(session, method, parameters);
  }

  private JsonNode say(String to, String method, Map<String, ?> parameters) throws Exception {
    int id = ids.incrementAndGet();
    Map<String, Object> message = new HashMap<>();
    message.put("id", id);
    message.put("method", method);
    message.put("params", parameters);
    if (!to.isEmpty()) {
      message.put("sessionId", to);
    }
    CompletableFuture<JsonNode> answer = new CompletableFuture<>();
    asked.put(id, answer);
    socket.sendText(MAPPER.writeValueAsString(message), true).get(SECONDS, TimeUnit.SECONDS);
    JsonNode node = answer.get(SECONDS, TimeUnit.SECONDS);
    if (node.has("error")) {
      throw new IOException(method + ": " + node.get("error"));
    }
    return node.get("result");
  }

  /** What an expression gives in the page; waits for a promise. */
  JsonNode evaluate(String script) throws Exception {
    JsonNode result =
        say(
            "Runtime.evaluate",
            Map.of("expression", script, "awaitPromise", true, "returnByValue", true));
    if (result.has("exceptionDetails")) {
      throw new IOException(result.get("exceptionDetails").toString());
    }
    return result.path("result").path("value");
  }

  /** Waits until an expression is true in the page; asks at each frame. */
  void await(String condition) throws Exception {
    evaluate(
        "new Promise((done) => { const ask = () => { let is = false; try { is = ("
            + condition
            + "); } catch (e) { is = false; } is ? done(true) : setTimeout(ask, 20); }; ask(); })");
  }

  /** What stands in the element that a selector finds. */
  String text(String selector) throws Exception {
    return evaluate("document.querySelector('" + selector + "').innerText").asText();
  }

  /** Presses a key and lets it go. */
  void press(String key) throws Exception {
    for (String type : List.of("rawKeyDown", "char", "keyUp")) {
      if (type.equals("char") && !key.equals(" ")) {
        continue;
      }
      say(
          "Input.dispatchKeyEvent",
          Map.of(
              "type",
              type,
              "key",
              key,
              "code",
              key.equals(" ") ? "Space" : key,
              "text",
              key.equals(" ") ? key : "",
              "windowsVirtualKeyCode",
              KEYS.get(key)));
    }
  }

  /** Has the machine's theme be dark, or light. */
  void dark(boolean dark) throws Exception {
    Map<String, String> feature =
        Map.of("name", "prefers-color-scheme", "value", dark ? "dark" : "light");
    say("Emulation.setEmulatedMedia", Map.of("features", List.of(feature)));
  }

  /** What a screen reader finds: each node's role and name. */
  List<String> heardByReaders() throws Exception {
    List<String> all = new ArrayList<>();
    for (JsonNode node : say("Accessibility.getFullAXTree", Map.of()).get("nodes")) {
      if (!node.path("ignored").asBoolean()) {
        all.add(
            node.path("role").path("value").asText()
                + " "
                + node.path("name").path("value").asText());
      }
    }
    return all;
  }

  /** Errors of the page, and what the browser has refused it. */
  List<String> problems() {
    return problems;
  }

  /** Takes a picture. */
  void picture(Path file) throws Exception {
    String data = say("Page.captureScreenshot", Map.of("format", "png")).get("data").asText();
    Files.write(file, Base64.getDecoder().decode(data));
  }

  @Override
  public void close() throws Exception {
    socket.abort();
    List<ProcessHandle> helpers = process.descendants().toList();
    process.destroy();
    process.waitFor();
    for (ProcessHandle helper : helpers) { // they write into the directory until they have ended
      helper.onExit().get(SECONDS, TimeUnit.SECONDS);
    }
  }
}
