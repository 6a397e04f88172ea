package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.config.ConfiguredDataSource;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.meter.Count;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;
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
              - {tables-among: [port, island]}
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
            "             tables among [island, port]: kept on main",
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
      Path answers = folder.resolve("answers"); // the program's, which the check leaves alone
      Path file =
          file("rules: [{tables-among: [port, island]}]\nwarm-start: {file: '" + answers + "'}\n");
      List<String> line = List.of("config", "check", file.toString(), "--db");
      Ran without = run(line, server);
      assertThat(without.exitCode()).isOne();
      assertThat(without.out()).contains("shelf feed install");
      Journal.on(server.dataSource("postgres")).install(List.of("port"));
      Ran ran = run(line, server);
      assertThat(ran.exitCode()).isOne();
      assertThat(ran.out())
          .contains("warm start   " + answers)
          .contains("the journal does not follow the table 'island'")
          .doesNotContain("the table 'port'");
      assertThat(answers).doesNotExist();
    }
  }

  /** Two ports that a rule keeps, one statement that it cannot, and one that no rule fits. */
  private Path recording(LocalPostgres server) throws Exception {
    Path into = folder.resolve("asked.jsonl.gz");
    Path file =
        file(
            "rules: [{tables-among: [port]}, {mark: never-so}]\nrecording: {file: '"
                + into
                + "'}\n");
    try (ConfiguredDataSource program =
            new ConfiguredDataSource(server.dataSource("postgres"), file);
        Connection connection = program.getConnection()) {
      WarmShelf warm = program.warmShelf().orElseThrow();
      String never = "SELECT now() /* shelf: never-so */";
      String unruled = "SELECT name FROM vessel";
      warm.prospect(never); // a statement is recorded from when it is known to be a read
      warm.prospect(unruled);
      long deadline = System.nanoTime() + 30_000_000_000L;
      while (warm.shelf("main").meters().snapshot().get(Count.HITS) < 2) {
        assertThat(System.nanoTime()).isLessThan(deadline);
        for (int port = 1; port <= 2; port++) {
          ask(connection, "SELECT name FROM port WHERE id = " + port);
        }
        ask(connection, never);
        ask(connection, unruled);
      }
    }
    return into;
  }

  private static void ask(Connection connection, String sql) throws SQLException {
    try (Statement statement = connection.createStatement();
        ResultSet result = statement.executeQuery(sql)) {
      assertThat(result.next()).isTrue();
    }
  }

  @Test
  void judgesWhatARecordingHas() throws Exception {
    try (LocalPostgres server = LocalPostgres.start()) {
      SkerryLine.loadTiny(server.dataSource("postgres"));
      Journal.on(server.dataSource("postgres")).install(SkerryLine.FOLLOWED);
      Path recording = recording(server);
      Path file = file("rules: [{tables-among: [port]}, {mark: never-so}, {mark: unused}]\n");
      List<String> line = List.of("config", "check", file.toString(), "--recording");
      Ran ran =
          Ran.of(
              Stream.concat(
                      line.stream(),
                      Stream.of(recording.toString(), "--db", server.url("postgres"), "--json"))
                  .toArray(String[]::new));
      assertThat(ran.exitCode()).isOne();
      JsonNode fields = new ObjectMapper().readTree(ran.out());
      assertThat(fields.get("problems"))
          .singleElement()
          .satisfies(
              problem ->
                  assertThat(problem.asText())
                      .startsWith("the rule 'mark never-so: kept on main' fits a statement"));
      assertThat(fields.get("statements"))
          .extracting(each -> each.get("rule").asText() + ", " + each.get("kept").asBoolean())
          .containsExactlyInAnyOrder(
              "tables among [port]: kept on main, true",
              "mark never-so: kept on main, false",
              ", false");
      assertThat(fields.get("idleRules"))
          .extracting(JsonNode::asText)
          .containsExactly("mark unused: kept on main");
      assertThat(Ran.of("config", "check", file.toString(), "--recording", "x").err())
          .contains("add --db URL");

      Ran listed = Ran.of("statements", "--recording", recording.toString(), "--json");
      assertThat(listed.exitCode()).isZero();
      List<JsonNode> statements = new ArrayList<>();
      for (String each : listed.out().lines().toList()) {
        statements.add(new ObjectMapper().readTree(each));
      }
      assertThat(statements)
          .filteredOn(each -> each.get("shelf").asText().equals("main"))
          .filteredOn(each -> each.get("normalForm").asText().contains("port"))
          .singleElement()
          .satisfies(
              ports -> {
                assertThat(ports.get("questions").asInt()).isEqualTo(2);
                assertThat(ports.get("answered").asInt()).isGreaterThanOrEqualTo(2);
              });
      assertThat(Ran.of("statements").err()).contains("--recording FILE");
    }
  }

  private static Ran run(List<String> line, LocalPostgres server) {
    List<String> all = new ArrayList<>(line);
    all.add(server.url("postgres"));
    return Ran.of(all.toArray(new String[0]));
  }
}
