package dev.warmshelf.scenario;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.List;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class LocalPostgresTest {
  @Test
  void whoeverConnectsMustKnowThePassword() throws Exception {
    try (LocalPostgres server = LocalPostgres.startForSchemas()) {
      String url = server.url("postgres");
      try (Connection known = DriverManager.getConnection(url, "postgres", null);
          ResultSet rules =
              known
                  .createStatement()
                  .executeQuery("SELECT DISTINCT auth_method FROM pg_hba_file_rules")) {
        assertThat(rules.next()).isTrue();
        assertThat(rules.getString(1)).as("by any way, sockets too").isEqualTo("md5");
        assertThat(rules.next()).isFalse();
      }
      for (String guess : new String[] {"", "postgres"}) {
        assertThatThrownBy(() -> DriverManager.getConnection(url, "postgres", guess))
            .isInstanceOf(SQLException.class)
            .hasMessageContaining("password");
      }
      try (Stream<Path> held = Files.list(server.directory())) {
        assertThat(held.filter(Files::isRegularFile))
            .filteredOn(file -> holdsText(file))
            .allSatisfy(
                file ->
                    assertThat(PosixFilePermissions.toString(Files.getPosixFilePermissions(file)))
                        .isEqualTo("rw-------"));
      }
      assertThat(PosixFilePermissions.toString(Files.getPosixFilePermissions(server.directory())))
          .isEqualTo("rwx------");
    }
  }

  /** Ended at each stage of its start: it is made, filled, a server runs in it. */
  @Tag("thorough")
  @ParameterizedTest
  @ValueSource(strings = {"owner", "data/base", "data/postmaster.pid", "pgpass"})
  void aStartThatIsGivenUpLeavesNothing(String stage, @TempDir Path caches) throws Exception {
    Path home = caches.resolve("warm-shelf");
    PrivateDirectory.make(home);
    Files.createSymbolicLink(home.resolve("programs"), LocalPostgres.programs());
    ProcessBuilder starting = OwnJava.running(Starting.class);
    starting.environment().put("XDG_CACHE_HOME", caches.toString());
    Process process = starting.redirectError(ProcessBuilder.Redirect.DISCARD).start();
    while (servers(home).stream().noneMatch(made -> Files.exists(made.resolve(stage)))) {
      assertThat(process.isAlive()).as("it goes on until it is ended").isTrue();
      Thread.onSpinWait();
    }
    List<ProcessHandle> begun = process.descendants().toList();
    process.destroy();
    process.waitFor();
    assertThat(servers(home)).isEmpty();
    for (ProcessHandle each : begun) {
      each.onExit().get(20, TimeUnit.SECONDS);
    }
    Files.delete(home.resolve("programs"));
  }

  private static List<Path> servers(Path home) throws IOException {
    try (Stream<Path> held = Files.list(home)) {
      return held.filter(path -> path.getFileName().toString().startsWith("server-")).toList();
    }
  }

  /** Starts a server until it is ended. */
  static final class Starting {
    public static void main(String[] arguments) throws Exception {
      LocalPostgres.startForSchemas();
      new CountDownLatch(1).await();
    }
  }

  private static boolean holdsText(Path file) {
    return file.toFile().length() > 0;
  }

  /** Two servers of one process: what the driver is told holds until the last one ends. */
  @Tag("thorough")
  @ParameterizedTest
  @ValueSource(booleans = {true, false})
  void eachServerIsReachedAsLongAsItRuns(boolean firstEndsFirst) throws Exception {
    try (LocalPostgres first = LocalPostgres.startForSchemas();
        LocalPostgres second = LocalPostgres.startForSchemas()) {
      LocalPostgres ended = firstEndsFirst ? first : second;
      LocalPostgres left = firstEndsFirst ? second : first;
      ended.close();
      try (Connection reached =
          DriverManager.getConnection(left.url("postgres"), "postgres", null)) {
        assertThat(reached.isValid(5)).isTrue();
      }
    }
  }
}
