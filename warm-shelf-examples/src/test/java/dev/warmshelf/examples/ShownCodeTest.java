package dev.warmshelf.examples;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What the documentation shows of a program is what is run. */
class ShownCodeTest {
  @ParameterizedTest
  @CsvSource({
    "main/java/dev/warmshelf/examples/ReadAside.java, readme, ../README.md",
    "test/java/dev/warmshelf/examples/KeptServiceTest.java, docs, ../docs/testing.md",
    "../../warm-shelf-boot-program/src/test/java/dev/warmshelf/boot/ShelvesAbove.java, above, ../docs/spring-boot.md",
    "../../warm-shelf-boot-program/src/test/java/dev/warmshelf/boot/ShelvesSeen.java, seen, ../docs/spring-boot.md"
  })
  void theSameCodeIsShown(String program, String mark, String page) throws Exception {
    String source = Files.readString(Path.of("src").resolve(program));
    String begins = "// [" + mark + "]";
    String shown =
        source
            .substring(
                source.indexOf(begins) + begins.length(), source.indexOf("// [/" + mark + "]"))
            .stripTrailing()
            .stripIndent()
            .strip();
    assertThat(Files.readString(Path.of(page))).contains(shown);
  }
}
