package dev.warmshelf.examples;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.Scale;
import dev.warmshelf.scenario.SkerryLine;
import java.io.ByteArrayOutputStream;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

class ReadAsideTest {
  @Test
  @Timeout(60)
  void printsWhatItsCommentsSay() throws Exception {
    PrintStream console = System.out;
    ByteArrayOutputStream printed = new ByteArrayOutputStream();
    try (LocalPostgres server = LocalPostgres.start()) {
      try (Connection connection = server.dataSource("postgres").getConnection()) {
        SkerryLine.load(connection, Scale.TINY, (table, done, all) -> {});
      }
      System.setOut(new PrintStream(printed, true, StandardCharsets.UTF_8));
      ReadAside.main(server.dataSource("postgres"));
    } finally {
      System.setOut(console);
    }
    assertThat(printed.toString(StandardCharsets.UTF_8).lines())
        .containsExactly("LOADED, then KEPT", "Ramp closed");
  }

  @Test
  void theReadmeShowsTheSameCode() throws Exception {
    String source =
        Files.readString(Path.of("src/main/java/dev/warmshelf/examples/ReadAside.java"));
    String shown =
        source
            .substring(source.indexOf("// [readme]") + 11, source.indexOf("  // [/readme]"))
            .stripTrailing()
            .stripIndent()
            .strip();
    assertThat(Files.readString(Path.of("../README.md"))).contains(shown);
  }
}
