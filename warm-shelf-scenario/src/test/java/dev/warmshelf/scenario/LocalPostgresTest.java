package dev.warmshelf.scenario;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
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

  private static boolean holdsText(Path file) {
    return file.toFile().length() > 0;
  }

  /** Two servers of one process: what the driver is told holds until the last one ends. */
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
