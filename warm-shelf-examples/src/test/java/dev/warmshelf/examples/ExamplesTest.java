package dev.warmshelf.examples;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.spi.store.SharedStoreTrial;
import java.io.ByteArrayOutputStream;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;

/** Each program is run as it stands, and prints what its comments say. */
class ExamplesTest {
  @Test
  @Timeout(120)
  void eachPrintsWhatItSays() throws Exception {
    Map<String, List<String>> printed = new HashMap<>();
    try (LocalPostgres server = LocalPostgres.start()) {
      SkerryLine.loadTiny(server.dataSource("postgres"));
      for (Examples.Example each : Examples.all()) {
        printed.put(each.name(), run(each, server.url("postgres") + "?user=postgres"));
      }
    }
    assertThat(printed.get("read-aside")).containsExactly("LOADED, then KEPT", "Ramp closed");
    List<String> http = printed.get("notices-over-http");
    assertThat(http).contains("  Cache-Status: Notices; fwd=miss");
    assertThat(http).anyMatch(line -> line.matches("  Cache-Status: Notices; hit; ttl=\\d+"));
    assertThat(http).anyMatch(line -> line.matches("  Age: \\d+"));
    assertThat(http.get(http.size() - 1)).as("the third time").startsWith("  Age");
    assertThat(http).contains("GET /ports/12/notices: 304");
    List<String> service = printed.get("under-a-service");
    assertThat(service.subList(0, 2))
        .allMatch(line -> line.endsWith("the service shows what was written"));
    assertThat(service).anyMatch(line -> line.matches(" *\\d+ executed, [1-9].*: kept on main"));
    assertThat(printed.get("in-production"))
        .contains("health 200 live", "main: kept answers", "warmshelf_health{state=\"live\"} 1.0")
        .anyMatch(
            line ->
                line.matches("warmshelf_lookups_total\\{result=\"hit\",shelf=\"main\"} [1-9].*"));
    assertThat(printed.get("two-processes")).containsExactly("one:   LOADED", "other: SHARED");
    assertThat(printed.get("kept-service"))
        .containsExactly("asked again: KEPT", "somebody has booked: LOADED", "one seat more: true");
    assertThat(printed.get("page-and-export").get(0)).matches("page: [1-9][0-9]* rows");
    assertThat(printed.get("page-and-export").subList(1, 5))
        .containsExactly(
            "export: as the page was; it has changed since",
            "the same rows: true",
            "reads by the database's own count: 1",
            "another handle: gone; open the page anew");
    assertThat(printed.get("ports-and-fares"))
        .containsExactly(
            "its neighbours: true", "10000 quotes, lists that were loaded: 2", "raised by 100");
    assertThat(printed).hasSize(8);
  }

  @Test
  void aFolderIsAStore(@TempDir Path folder) throws Exception {
    assertThat(SharedStoreTrial.failures(() -> new FolderStore(folder))).isEmpty();
  }

  private static List<String> run(Examples.Example example, String url) throws Exception {
    PrintStream console = System.out;
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    System.setOut(new PrintStream(out, true, StandardCharsets.UTF_8));
    try {
      example.main().run(new String[] {url});
    } finally {
      System.setOut(console);
    }
    return out.toString(StandardCharsets.UTF_8).lines().toList();
  }
}
