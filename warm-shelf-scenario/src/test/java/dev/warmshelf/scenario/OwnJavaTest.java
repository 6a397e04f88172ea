package dev.warmshelf.scenario;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import org.junit.jupiter.api.Test;

class OwnJavaTest {
  /** An empty name of a password file would keep the driver from the user's own. */
  @Test
  void passwordsAreNamedOnlyWhereAServerRuns() throws Exception {
    String before = System.clearProperty(LocalPostgres.PASSWORDS_PROPERTY);
    try {
      assertThat(OwnJava.running(OwnJavaTest.class, "a").command())
          .noneMatch(word -> word.contains("pgpass"))
          .endsWith(OwnJavaTest.class.getName(), "a");
      System.setProperty(LocalPostgres.PASSWORDS_PROPERTY, "/some/where");
      assertThat(OwnJava.running(List.of("-Xmx64m"), OwnJavaTest.class).command())
          .contains("-Xmx64m", "-Dorg.postgresql.pgpassfile=/some/where");
    } finally {
      System.clearProperty(LocalPostgres.PASSWORDS_PROPERTY);
      if (before != null) {
        System.setProperty(LocalPostgres.PASSWORDS_PROPERTY, before);
      }
    }
  }
}
