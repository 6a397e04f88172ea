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

  /** What else a service has: its file, its properties, and what its build imports. */
  @ParameterizedTest
  @CsvSource({
    "src/test/resources/berths.yaml, namespace: berths, '  - tables-among: [berth]'",
    "pom.xml, <groupId>dev.warmshelf</groupId> <artifactId>warm-shelf-bom</artifactId>, <scope>import</scope>",
  })
  void theServiceOfThePageHasTheseLines(String file, String from, String to) throws Exception {
    String whole = inOneLine(Files.readString(Path.of("../warm-shelf-boot-program", file)));
    int begins = whole.indexOf(inOneLine(from));
    assertThat(begins).isNotNegative();
    int ends = whole.indexOf(inOneLine(to), begins) + inOneLine(to).length();
    assertThat(inOneLine(Files.readString(Path.of("../docs/spring-boot.md"))))
        .contains(whole.substring(begins, ends).replace("${project.version}", "0.1.0-SNAPSHOT"));
  }

  private static String inOneLine(String text) {
    return text.strip().replaceAll("\\s+", " ");
  }
}
