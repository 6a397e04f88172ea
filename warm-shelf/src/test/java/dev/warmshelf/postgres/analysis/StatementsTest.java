package dev.warmshelf.postgres.analysis;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.scenario.LocalPostgres;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.stream.Stream;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

/**
 * What is read off statements, on every version of the server that there is a build of: {@code
 * statements.txt} says it, and all versions must say the same. The oldest, the newest and the one
 * that is brought along are asked about all of them, each other one about its share, or with {@code
 * -Dservers.all=true} about all, too.
 */
class StatementsTest {
  private static final Path SERVERS = Path.of("target/servers");

  @Tag("thorough")
  @Test
  void everyServerSaysTheSameOfEveryStatement() throws Exception {
    ExecutorService two = Executors.newFixedThreadPool(2);
    List<Future<Void>> checks = new ArrayList<>();
    List<Path> servers = servers();
    for (int i = 0; i < servers.size(); i++) {
      Path binaries = servers.get(i);
      boolean all = i == 0 || i == servers.size() - 1 || Boolean.getBoolean("servers.all");
      List<String> lines = all ? lines() : share(lines(), i - 1, servers.size() - 2);
      checks.add(
          two.submit(
              () -> {
                try (LocalPostgres server = LocalPostgres.startForSchemas(binaries)) {
                  check(server, lines);
                }
                return null;
              }));
    }
    for (Future<Void> check : checks) {
      check.get();
    }
    two.shutdown();
  }

  @Test
  void theServerThatIsBroughtAlongSaysSoToo() throws Exception {
    List<String> lines = lines();
    assertThat(lines).hasSizeGreaterThan(300);
    try (LocalPostgres server = LocalPostgres.startForSchemas()) {
      check(server, lines);
    }
  }

  /** Of pairs of lines, one in so many. */
  private static List<String> share(List<String> lines, int number, int of) {
    List<String> share = new ArrayList<>();
    for (int i = 2 * number; i < lines.size(); i += 2 * of) {
      share.addAll(lines.subList(i, i + 2));
    }
    return share;
  }

  private static void check(LocalPostgres server, List<String> lines) throws Exception {
    try (Connection connection = server.dataSource("postgres").getConnection()) {
      try (Statement statement = connection.createStatement()) {
        statement.execute(resource("statements-schema.sql"));
      }
      Asker asker = new Asker(connection);
      List<String> found = new ArrayList<>();
      for (int i = 0; i < lines.size(); i += 2) {
        found.add(lines.get(i));
        found.add("    " + asker.said(lines.get(i)));
      }
      assertThat(found).containsExactlyElementsOf(lines);
      assertThat(leftBehind(connection)).as("what asking leaves behind").isZero();
    }
  }

  private static long leftBehind(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement();
        var row =
            statement.executeQuery(
                "SELECT (SELECT count(*) FROM pg_proc WHERE proname LIKE 'warm%')"
                    + " + (SELECT count(*) FROM pg_prepared_statements WHERE name LIKE 'warm%')"
                    + " + (SELECT count(*) FROM pg_namespace WHERE nspname LIKE 'pg_temp%')")) {
      row.next();
      return row.getLong(1);
    }
  }

  private static List<Path> servers() throws Exception {
    try (Stream<Path> files = Files.list(SERVERS)) {
      List<Path> all = files.sorted().toList();
      assertThat(all).hasSize(4);
      return all;
    }
  }

  private static List<String> lines() throws Exception {
    return resource("statements.txt").lines().filter(line -> !line.startsWith("#")).toList();
  }

  private static String resource(String name) throws Exception {
    try (InputStream in = Objects.requireNonNull(StatementsTest.class.getResourceAsStream(name))) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
  }
}
