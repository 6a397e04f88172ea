package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Path;
import org.junit.jupiter.api.Test;

class ExampleCommandTest {
  @Test
  void listsTheExamplesWithTheirSources() {
    Ran list = Ran.of("example");
    assertThat(list.exitCode()).isZero();
    assertThat(list.out()).contains("read-aside", "notices-over-http");
    list.out()
        .lines()
        .map(String::strip)
        .filter(line -> line.endsWith(".java"))
        .forEach(line -> assertThat(Path.of("..", line)).exists());
  }

  @Test
  void runsOneAsItStands() {
    Ran ran = Ran.of("example", "read-aside");
    assertThat(ran.err()).isEmpty();
    assertThat(ran.out()).contains("LOADED, then KEPT", "Ramp closed");
    assertThat(ran.exitCode()).isZero();
  }

  @Test
  void oneThatIsNotThereIsNamed() {
    assertThat(Ran.of("example", "nothing").err()).contains("no example 'nothing'");
  }
}
