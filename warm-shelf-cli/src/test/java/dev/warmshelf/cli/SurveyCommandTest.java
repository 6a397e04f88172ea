package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.atomic.AtomicBoolean;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** {@code shelf survey}, on a database that somebody asks meanwhile. */
class SurveyCommandTest {
  private static LocalPostgres server;

  @TempDir private Path directory;

  @BeforeAll
  static void start() throws Exception {
    server = LocalPostgres.start();
    SkerryLine.loadTiny(server.dataSource("postgres"));
    run("CREATE EXTENSION pg_stat_statements");
  }

  @AfterAll
  static void stop() throws Exception {
    server.close();
  }

  private static void run(String sql) throws SQLException {
    try (Connection connection = server.dataSource("postgres").getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }

  /** What the command prints while two statements are executed. */
  private static Ran survey(String... more) throws Exception {
    List<String> arguments = new ArrayList<>(List.of("survey", "--db", server.url("postgres")));
    arguments.addAll(List.of(more));
    if (!arguments.contains("--for")) {
      arguments.addAll(List.of("--for", "1s"));
    }
    AtomicBoolean done = new AtomicBoolean();
    CompletableFuture<Void> program =
        CompletableFuture.runAsync(
            () -> {
              try (Connection connection = server.dataSource("postgres").getConnection();
                  PreparedStatement sailings =
                      connection.prepareStatement(
                          "SELECT id, status FROM sailing WHERE route_id = ? ORDER BY id");
                  PreparedStatement random =
                      connection.prepareStatement("SELECT random(), id FROM sailing")) {
                while (!done.get()) {
                  sailings.setInt(1, 1);
                  sailings.executeQuery().close();
                  random.executeQuery().close();
                }
              } catch (SQLException e) {
                throw new IllegalStateException(e);
              }
            });
    try {
      return Ran.of(arguments.toArray(new String[0]));
    } finally {
      done.set(true);
      program.join();
    }
  }

  @Test
  void saysWhatIsWorthKeepingAndWhatIsNot() throws Exception {
    Path config = directory.resolve("advised.yaml");
    Path page = directory.resolve("page.html");
    Ran ran = survey("--config", config.toString(), "--report", page.toString());
    assertThat(ran.exitCode()).as(ran.err()).isZero();
    assertThat(ran.out())
        .contains("of the server's time", "SELECT id, status FROM sailing WHERE route_id = $1")
        .contains("keep: it saves", "public.sailing (id, route_id, status), rows of one route_id")
        .contains("Reads that cannot be kept as they are:", "random")
        .contains("shelf feed install sailing:route_id")
        .contains("How often the same question comes again no statistics tell");
    assertThat(Files.readString(config))
        .contains("# Advised by 'shelf survey' of ", "shelf feed install sailing:route_id")
        .containsPattern("- form: [0-9a-f]{16}\n    shelf: main");
    assertThat(Ran.of("config", "check", config.toString()).exitCode()).isZero();
    assertThat(Files.readString(page))
        .contains("<h1>Surveyed: which reads to keep</h1>", "likely")
        .doesNotContain("{{", "NaN");
  }

  @Test
  void aProgramReadsItAsJson() throws Exception {
    JsonNode all = new ObjectMapper().readTree(survey("--json").out());
    JsonNode first = all.path("statements").get(0);
    assertThat(first.path("statement").asText()).contains("FROM sailing WHERE route_id");
    assertThat(first.path("executions").asLong()).isPositive();
    assertThat(first.path("hitsByRows").path("likely").asDouble()).isBetween(0.5, 1.0);
    assertThat(first.path("dependsOn").get(0).path("table").asText()).isEqualTo("public.sailing");
    assertThat(all.path("tracked").path("public.sailing").get(0).asText()).isEqualTo("route_id");
  }

  @Test
  void whatCannotBeSurveyedIsSaid() throws Exception {
    assertThat(survey("--for", "soon").err()).contains("--for");
    assertThat(survey("--for", "10ms").err()).contains("--for must be from 1s to 7d");
    assertThat(survey("--recording", directory.resolve("no").toString()).err())
        .contains("add --config FILE");
    run("CREATE DATABASE bare");
    Ran bare = Ran.of("survey", "--db", server.url("bare"), "--for", "1s");
    assertThat(bare.exitCode()).isEqualTo(2);
    assertThat(bare.err()).contains("CREATE EXTENSION pg_stat_statements");
  }
}
