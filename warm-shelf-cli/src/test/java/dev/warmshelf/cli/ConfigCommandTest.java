package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class ConfigCommandTest {
  @TempDir private Path folder;

  private Path file(String text) throws Exception {
    return Files.writeString(folder.resolve("warm-shelf.yaml"), text);
  }

  @Test
  void saysWhatAFileSets() throws Exception {
    Path file =
        file(
            """
            shelves: {reports: {ttl: 1 h}}
            rules:
              - {mark: slow, shelf: reports}
              - {tables: [port, island]}
              - {form: 0123456789ab, keep: false}
            """);
    Ran ran = Ran.of("config", "check", file.toString());
    assertThat(ran.exitCode()).isZero();
    assertThat(ran.out().lines())
        .containsExactly(
            "configured   " + file,
            "shelves      main",
            "             reports",
            "rules        mark slow: kept on reports",
            "             tables [island, port]: kept on main",
            "             form 0123456789ab: not kept");
  }

  @Test
  void tellsAllThatIsWrong() throws Exception {
    Path file = file("colour: red\nrules: [{mark: a, shelf: nowhere}]\n");
    Ran ran = Ran.of("config", "check", file.toString(), "--json");
    assertThat(ran.exitCode()).isOne();
    JsonNode fields = new ObjectMapper().readTree(ran.out());
    assertThat(fields.get("problems")).hasSize(2);
    assertThat(fields.get("problems").get(1).asText()).startsWith("line 2: there is no shelf");
    assertThat(Ran.of("config", "check", "no-such.yaml").exitCode()).isEqualTo(2);
  }

  @Test
  void asksTheDatabase() throws Exception {
    try (LocalPostgres server = LocalPostgres.start()) {
      SkerryLine.loadTiny(server.dataSource("postgres"));
      Path file = file("rules: [{tables: [port, island]}]");
      List<String> line = List.of("config", "check", file.toString(), "--db");
      Ran without = run(line, server);
      assertThat(without.exitCode()).isOne();
      assertThat(without.out()).contains("shelf feed install");
      Journal.on(server.dataSource("postgres")).install(List.of("port"));
      Ran ran = run(line, server);
      assertThat(ran.exitCode()).isOne();
      assertThat(ran.out())
          .contains("the journal does not follow the table 'island'")
          .doesNotContain("the table 'port'");
    }
  }

  private static Ran run(List<String> line, LocalPostgres server) {
    java.util.ArrayList<String> all = new java.util.ArrayList<>(line);
    all.add(server.url("postgres"));
    return Ran.of(all.toArray(new String[0]));
  }
}
