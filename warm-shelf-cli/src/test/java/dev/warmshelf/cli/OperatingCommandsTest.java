package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.Statement;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

/** {@code shelf look}, {@code clear} and {@code health}. */
class OperatingCommandsTest {
  @Test
  @Timeout(120)
  void anotherProgramIsLookedAtAndCleared() throws Exception {
    OtherProgram.whileItRuns(
        pid -> {
          Ran listed = Ran.of("look", pid, "--json");
          assertThat(listed.err()).isEmpty();
          JsonNode entry = new ObjectMapper().readTree(listed.out());
          assertThat(entry.get("shelf").asText()).isEqualTo("main");
          assertThat(entry.get("uses").asLong()).isPositive();
          assertThat(entry.get("values").get(0).asText()).isEqualTo("'key'");
          assertThat(entry.get("fresh").asBoolean()).isTrue();
          assertThat(entry.get("loadedBy").asText()).isEqualTo("here");
          String digest = entry.get("digest").asText().substring(0, 12);
          assertThat(Ran.of("look", pid).out()).contains("main: 1 entries", digest, "fresh");
          assertThat(Ran.of("look", pid, "--table", "port", "--by", "bytes").out())
              .contains(digest);
          assertThat(Ran.of("look", pid, "--table", "island").out()).contains("No such answers");
          assertThat(Ran.of("look", pid, "--shelf", "x").err())
              .contains("no shelf 'x'; it has [main]");
          assertThat(Ran.of("look", pid, digest).out())
              .contains("statement    named", "public.port, tick 0", "rows         not shown");
          assertThat(Ran.of("look", pid, "ffffffffffff").exitCode()).isEqualTo(2);

          assertThat(Ran.of("clear", pid, "shelf", "main").out())
              .contains("Cleared shelf main: about 1 answers are gone");
          assertThat(Ran.of("look", pid).out()).contains("the shelf was cleared");
          assertThat(Ran.of("clear", pid, "all", "--everywhere").err()).contains("Without a feed");
          assertThat(Ran.of("clear", pid, "roof").err()).contains("'roof' cannot be cleared");
          assertThat(Ran.of("clear", pid, "key", "xyz").err()).contains("hexadecimal digits");
          assertThat(Ran.of("clear", pid).err()).contains("Say what is to be cleared");
          assertThat(Ran.of("clear", "table", "port").err())
              .contains("Give a program before 'table'");
          assertThat(Ran.of("clear", pid, "all", "--db", "x").err()).contains("not both");
          assertThat(Ran.of("clear", "all").err()).contains("Give a program before 'all'");

          Ran health = Ran.of("health", pid);
          assertThat(health.exitCode()).isOne();
          assertThat(health.out())
              .contains("lost since 2026-05-01T10:00:00Z", "7000 ms ago: the line is cut")
              .contains("reads get    main: kept answers")
              .contains("Warm Shelf 0.0.1 (this tool is ", "driver 42.0.1");
        });
  }

  /** Whatever a program's texts are, each field arrives as it was, and no terminal is sent any. */
  @Test
  @Timeout(120)
  void anyTextIsOneFieldStill() throws Exception {
    OtherProgram.whileItRuns(
        pid -> {
          ObjectMapper mapper = new ObjectMapper();
          JsonNode statement = mapper.readTree(Ran.of("statements", pid, "--json").out());
          assertThat(statement.get("name").asText()).isEqualTo(OtherProgram.ODD);
          assertThat(statement.get("standing").asText()).isEqualTo(OtherProgram.ODD);
          assertThat(statement.get("statement").asText()).isEqualTo("select '" + OtherProgram.ODD);
          assertThat(statement.get("misses").asLong()).isEqualTo(2);
          JsonNode health = mapper.readTree(Ran.of("health", pid, "--json").out());
          assertThat(health.get("shelves").get(OtherProgram.ODD).asText())
              .isEqualTo(OtherProgram.ODD);
          JsonNode watched =
              mapper.readTree(Ran.of("watch", pid, "--times", "1", "--json").out()).get("needless");
          assertThat(watched.get(0).get("table").asText()).isEqualTo("public." + OtherProgram.ODD);
          assertThat(watched.get(0).get("columns").get(0).asText()).isEqualTo(OtherProgram.ODD);
          assertThat(Ran.of("look", pid).out())
              .contains("needless: of 50 answers on main", "40 said the same again (2.00 s")
              .contains("Do this: a\\u0009by\\u000ahand\\u001b[2J \\u202e");
          assertThat(Ran.of("statements", pid).out().lines().toList())
              .hasSize(3)
              .last()
              .asString()
              .startsWith(
                  "a\\u0009by\\u000ahand\\u001b[2J \\u202e\"'   0123456789abcdef   5      2");
        });
  }

  @Test
  void theJournalIsToldWithoutAProgram() throws Exception {
    try (LocalPostgres server = LocalPostgres.startForSchemas()) {
      SkerryLine.loadTiny(server.dataSource("postgres"));
      String url = server.url("postgres");
      assertThat(Ran.of("clear", "--db", url, "table", "port").err()).contains("is not installed");
      Journal.on(server.dataSource("postgres")).install(SkerryLine.FOLLOWED);
      Ran ran = Ran.of("clear", "--db", url, "table", "port");
      assertThat(ran.exitCode()).isZero();
      try (Connection connection = server.dataSource("postgres").getConnection();
          Statement statement = connection.createStatement();
          ResultSet row =
              statement.executeQuery(
                  "SELECT kind, shape, rows_before[1][1] FROM warm_shelf.journal")) {
        assertThat(row.next()).isTrue();
        assertThat(row.getString(1)).isEqualTo("table");
        assertThat(row.getString(2)).isEqualTo("port");
        assertThat(row.getString(3)).isEqualTo("postgres");
        assertThat(row.next()).isFalse();
      }
    }
  }
}
