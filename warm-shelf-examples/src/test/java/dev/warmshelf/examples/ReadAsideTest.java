package dev.warmshelf.examples;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.Test;

class ReadAsideTest {
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
