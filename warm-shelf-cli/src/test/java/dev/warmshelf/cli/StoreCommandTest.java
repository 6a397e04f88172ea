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
import dev.warmshelf.shelf.SharedState;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.stream.Stream;
import javax.sql.DataSource;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;

/** {@code shelf store}, and programs that use one by their configuration alone. */
@Tag("thorough")
@Timeout(120)
class StoreCommandTest {
  @TempDir private Path folder;

  private static Ran store(LocalPostgres server, String... line) {
    return Ran.of(
        Stream.concat(
                Stream.concat(Stream.of("store"), Stream.of(line)),
                Stream.of("--db", server.url("postgres")))
            .toArray(String[]::new));
  }

  @Tag("thorough")
  @Test
  void programsShareByConfigurationAloneWithTheDocumentedRights() throws Exception {
    try (LocalPostgres server = LocalPostgres.start()) {
      DataSource plain = server.dataSource("postgres");
      SkerryLine.loadTiny(plain);
      Journal.on(plain).install(SkerryLine.FOLLOWED);
      run(plain, "CREATE ROLE sharer " + LocalPostgres.login());
      assertThat(store(server, "check").exitCode()).isOne();
      assertThat(store(server, "check").out()).contains("'shelf store create' makes one");
      assertThat(store(server, "create", "--role", "nobody").exitCode()).isEqualTo(2);
      assertThat(store(server, "check").exitCode()).as("all or nothing").isOne();
      assertThat(store(server, "create", "--print", "--role", "sharer").out())
          .contains("CREATE UNLOGGED TABLE", "GRANT USAGE", "\"sharer\"");
      Ran created = store(server, "create", "--at-most", "64 MiB", "--role", "sharer");
      assertThat(created.exitCode()).isZero();
      assertThat(created.out()).contains("0 answers, 0 B of 64.0 MiB");
      assertThat(store(server, "create").out()).contains("was there", "of 64.0 MiB");
      assertThat(store(server, "create", "--at-most", "32 MiB").out()).contains("of 32.0 MiB");

      Path file =
          Files.writeString(
              folder.resolve("warm-shelf.yaml"),
              """
              rules: [{tables-among: [port]}]
              shared: {url: '%s', user: sharer, from-load-of: 0 s, answers-within: 10 s}
              """
                  .formatted(server.url("postgres")));
      assertThat(Ran.of("config", "check", file.toString()).out()).contains("shared       jdbc:");
      try (ConfiguredDataSource one = new ConfiguredDataSource(plain, file);
          ConfiguredDataSource other = new ConfiguredDataSource(plain, file)) {
        untilTrue(one, () -> shared(one, SharedState.Count.WRITTEN) > 0);
        untilTrue(other, () -> count(other) > 0);
        assertThat(other.warmShelf().orElseThrow().shared().orElseThrow().trouble()).isEmpty();
      }
      JsonNode shown = new ObjectMapper().readTree(store(server, "look", "--json").out());
      assertThat(shown.get("shelf").asText()).isEqualTo("main");
      assertThat(shown.get("bytes").asLong()).isPositive();
      String digest = shown.get("digest").asText().substring(0, 12);
      assertThat(store(server, "look").out()).contains(digest);
      assertThat(store(server, "empty", "--shelf", "another").out()).contains("0 answers");
      assertThat(store(server, "empty", "--digest", digest).out()).contains("1 answers removed");
      assertThat(store(server, "look").out()).contains("holds nothing");
      assertThat(store(server, "remove").out()).contains("is removed");
      assertThat(store(server, "remove").out()).contains("There was no store");
      Ran checked = Ran.of("config", "check", file.toString(), "--db", server.url("postgres"));
      assertThat(checked.exitCode()).isOne();
      assertThat(checked.out()).contains("the shared store cannot be used: There is no store");
    }
  }

  private interface Condition {
    boolean holds() throws SQLException;
  }

  private static long shared(ConfiguredDataSource program, SharedState.Count count) {
    return program.warmShelf().orElseThrow().shared().orElseThrow().count(count);
  }

  private static long count(ConfiguredDataSource program) {
    WarmShelf warm = program.warmShelf().orElseThrow();
    return warm.shelf("main").meters().snapshot().get(Count.SHARED);
  }

  /** Asks until something is true. */
  private static void untilTrue(DataSource program, Condition condition) throws SQLException {
    long deadline = System.nanoTime() + 30_000_000_000L;
    while (!condition.holds()) {
      assertThat(System.nanoTime()).isLessThan(deadline);
      try (Connection connection = program.getConnection();
          Statement statement = connection.createStatement();
          ResultSet result = statement.executeQuery("SELECT name FROM port WHERE id = 1")) {
        assertThat(result.next()).isTrue();
      }
    }
  }

  private static void run(DataSource on, String sql) throws SQLException {
    try (Connection connection = on.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }
}
