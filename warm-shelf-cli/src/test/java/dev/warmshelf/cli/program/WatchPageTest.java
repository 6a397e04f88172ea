package dev.warmshelf.cli.program;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import com.fasterxml.jackson.databind.ObjectMapper;
import dev.warmshelf.cli.program.ProgramDesk.Held;
import dev.warmshelf.cli.program.ProgramMeters.Look;
import dev.warmshelf.cli.program.ProgramMeters.Meters;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.shelf.AskedStatement;
import dev.warmshelf.shelf.AskedStatement.Outcomes;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;

class WatchPageTest {
  private static final long SECOND_NANOS = 1_000_000_000;

  private final HttpClient client = HttpClient.newHttpClient();
  private PageLooks looks;
  private WatchPage page;
  private int looked;

  @BeforeEach
  void serve() throws Exception {
    looks = new PageLooks("12345");
    page = new WatchPage(looks, 0);
  }

  @AfterEach
  void stop() {
    page.close();
  }

  /** One look a second; in each of them a hundred lookups, as many of them hits as is said. */
  private void look(long hits, boolean well) {
    looked++;
    Map<String, Object> shelf = new HashMap<>();
    for (String name :
        List.of(
            "Misses",
            "Bypassed",
            "Invalidated",
            "Needless",
            "Evicted",
            "Fills",
            "Wasted",
            "BypassCount",
            "BypassTotalNanos",
            "LoadCount",
            "LoadTotalNanos",
            "HitP50Nanos",
            "HitP99Nanos",
            "LoadP50Nanos",
            "LoadP99Nanos",
            "AuditsAgreed",
            "AuditsLate",
            "AuditsNever",
            "TimeSavedNanos")) {
      shelf.put(name, 0L);
    }
    shelf.put("Name", "main");
    shelf.put("Gives", "kept answers");
    shelf.put("Entries", 1_234L);
    shelf.put("Bytes", 5_000_000L);
    shelf.put("Lookups", 100L * looked);
    shelf.put("Hits", hits);
    shelf.put("HitCount", 10L * looked);
    shelf.put("HitTotalNanos", 10L * looked * 1_500);
    Map<String, Object> feed = Map.of("State", "LIVE", "LagNanos", 12_000_000L);
    looks.add(
        1_790_000_000_000L + 1000L * looked,
        new Look(
            SECOND_NANOS * looked,
            Map.of("1/main", new Meters(shelf)),
            Map.of("1", new Meters(feed)),
            Map.of()),
        List.of(
            Map.of(
                "program",
                "1",
                "Health",
                well ? "LIVE" : "LOST",
                "IsWell",
                well,
                "Why",
                well ? "" : "the line is cut",
                "LagMillis",
                12L,
                "LostSince",
                "")),
        Remarks.NONE);
  }

  private HttpResponse<String> get(String url, String... headers) throws Exception {
    HttpRequest.Builder request = HttpRequest.newBuilder(URI.create(url));
    if (headers.length > 0) {
      request.headers(headers);
    }
    return client.send(request.build(), HttpResponse.BodyHandlers.ofString());
  }

  @Test
  void servesWhatWasSeenAfterALook() throws Exception {
    for (int i = 1; i <= 2_000; i++) {
      look(50L * i, true);
    }
    HttpResponse<String> all = get(page.address() + "looks?after=-1");
    assertThat(all.statusCode()).isEqualTo(200);
    assertThat(new ObjectMapper().readTree(all.body()).get("looks")).hasSize(1_860);
    HttpResponse<String> last = get(page.address() + "looks?after=1998");
    assertThat(new ObjectMapper().readTree(last.body()).get("looks")).hasSize(1);
  }

  /** Other users of the machine do not know the address, and other origins get nothing. */
  @Test
  void servesOnlyWhoeverKnowsTheAddress() throws Exception {
    String root = page.address().replaceAll("[^/]+/$", "");
    assertThat(get(root).statusCode()).isEqualTo(404);
    assertThat(get(root + "looks").statusCode()).isEqualTo(404);
    assertThat(get(page.address() + "nothing").statusCode()).isEqualTo(404);
    HttpResponse<String> served = get(page.address());
    assertThat(served.headers().firstValue("Content-Security-Policy").orElseThrow())
        .startsWith("default-src 'none'");
    HttpRequest post =
        HttpRequest.newBuilder(URI.create(page.address()))
            .POST(HttpRequest.BodyPublishers.ofString("x"))
            .build();
    assertThat(client.send(post, HttpResponse.BodyHandlers.ofString()).statusCode()).isEqualTo(405);
    assertThat(page.address()).startsWith("http://127.0.0.1:");
  }

  @Test
  void whatThePageNeedsIsServedWithIt() throws Exception {
    String html = get(page.address()).body();
    List<String> files = new ArrayList<>();
    Pattern.compile("(?:src|href)=\"([^\":]+)\"")
        .matcher(html)
        .results()
        .forEach(found -> files.add(found.group(1)));
    assertThat(files).hasSize(4);
    for (String file : files) {
      assertThat(get(page.address() + file).statusCode()).isEqualTo(200);
    }
  }

  @Test
  void aPortThatIsTakenIsNamed() throws Exception {
    try (ServerSocket taken = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
      assertThatThrownBy(() -> new WatchPage(looks, taken.getLocalPort()).close())
          .isInstanceOf(Failure.class)
          .hasMessageContaining("Port " + taken.getLocalPort() + " is taken");
    }
  }

  /**
   * In a real browser, if there is one; where there must be, {@code -Dbrowser.required} says so.
   */
  @Test
  @Timeout(120)
  void plotsMoveAndCanBeReadByKeyboardAndScreenReader(@TempDir Path directory) throws Exception {
    Optional<Path> installed = Browser.installed();
    assumeTrue(installed.isPresent() || Boolean.getBoolean("browser.required"), "no browser here");
    looks.queries(
        List.of(
            new AskedStatement(
                "ports", "0123456789abcdef", "s", new Outcomes(30, 10, 0), "kept on main"),
            new AskedStatement(
                "ports", "0123456789abcdef", "s", new Outcomes(0, 40, 0), "kept on main")),
        Map.of(
            "0123456789abcdef", new Held("s", 1_200, 4_000_000),
            "fedcba9876543210", new Held("select <b>", 34, 1_000_000)));
    look(60, true);
    look(150, true);
    try (Browser browser =
        new Browser(installed.orElseThrow(), directory.resolve("browser"), page.address())) {
      browser.await("document.querySelectorAll('#plots canvas').length === 6");
      assertThat(browser.text("#program")).isEqualTo("12345");
      assertThat(browser.text("#state")).isEqualTo("live");
      assertThat(browser.text("#ratio .keys")).contains("90.0 %");
      assertThat(browser.text("#latency .keys")).contains("1.5 µs").contains("–");
      assertThat(browser.text("#lag .keys")).contains("12 ms");
      assertThat(browser.text("#entries .keys")).contains("ports").contains("1,200");
      assertThat(browser.text("#queries tbody"))
          .contains("ports\t80\t37.5 %\t62.5 %")
          .contains("select <b>");
      assertThat(browser.text("#shelves tbody")).contains("kept answers").contains("4.8 MiB");

      look(160, false); // ten hits of a hundred lookups
      browser.await("document.querySelector('#ratio .keys').innerText.includes('10.0 %')");
      assertThat(browser.text("#state")).isEqualTo("lost: the line is cut");

      browser.evaluate("document.getElementById('pause').focus()");
      browser.press("Tab");
      browser.press("Tab"); // the second plot
      browser.press("Home");
      assertThat(browser.text("#said")).contains("of lookups 90.0 %");
      browser.press("ArrowRight");
      assertThat(browser.text("#said")).contains("of lookups 10.0 %");
      browser.press("Escape");
      assertThat(browser.text("#said")).isEmpty();

      browser.evaluate("document.getElementById('pause').focus()");
      browser.press(" ");
      look(260, true);
      browser.await("document.getElementById('state').innerText === 'live'");
      assertThat(browser.text("#ratio .keys")).contains("10.0 %"); // it stands still
      browser.press(" ");
      browser.await("document.querySelector('#ratio .keys').innerText.includes('100.0 %')");

      String light = browser.evaluate("getComputedStyle(document.body).backgroundColor").asText();
      browser.dark(true);
      assertThat(browser.evaluate("getComputedStyle(document.body).backgroundColor").asText())
          .isNotEqualTo(light);
      assertThat(browser.heardByReaders())
          .contains(
              "heading Program 12345",
              "group Lookups",
              "group Entries by query",
              "combobox Shelf",
              "button Pause",
              "columnheader reads get",
              "rowheader ports");
      String pictures = System.getProperty("browser.pictures", "");
      if (!pictures.isEmpty()) {
        browser.picture(Path.of(pictures));
      }
      page.close();
      browser.await(
          "document.getElementById('state').innerText.startsWith('shelf watch has ended')");
      assertThat(browser.problems()).allMatch(each -> each.contains("ERR_CONNECTION_REFUSED"));
    }
  }
}
