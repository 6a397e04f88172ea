package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.OwnJava;
import java.io.File;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

class DemoCommandTest {
  @Tag("thorough")
  @Test
  void tellsTheWholeStoryAndFindsNothingWrong() {
    Ran ran = Ran.of("demo", "--small", "--seconds", "2");
    assertThat(ran.err()).isEmpty();
    assertThat(ran.out()).contains("first read   LOADED").contains("executed: 1");
    assertThat(ran.out()).contains("second read  KEPT").contains("executed: 0");
    assertThat(ran.out())
        .containsPattern("process \\d+ +SHARED .* was asked for: 0")
        .containsPattern("process \\d+ +KEPT .* was asked for: 0");
    assertThat(ran.out()).contains("stale, never invalidated");
    assertThat(ran.out())
        .as("both mistakes in the drafted program's keys")
        .contains("folding(\"token\", any -> one)")
        .containsPattern("season_fares\\(\\)\\n.*the same question got another answer")
        .contains("something decides the answer that is not in the key");
    assertThat(ran.out()).doesNotContain("WRONG");
    assertThat(ran.exitCode()).isZero();
  }

  @Test
  void whatAKilledDemoLeftIsRemovedAtTheNextStart() throws Exception {
    Process killed = OwnJava.running(StartAndWait.class).redirectErrorStream(true).start();
    String directory =
        killed
            .inputReader()
            .lines()
            .filter(l -> l.startsWith(File.separator))
            .findFirst()
            .orElseThrow();
    long server =
        Long.parseLong(Files.readAllLines(Path.of(directory, "data", "postmaster.pid")).get(0));
    killed.destroyForcibly().waitFor(10, TimeUnit.SECONDS);
    assertThat(ProcessHandle.of(server)).isPresent();

    List<String> done = LocalPostgres.removeAbandoned();
    assertThat(done)
        .anySatisfy(
            line -> assertThat(line).contains("stopped its PostgreSQL").contains(directory));
    assertThat(ProcessHandle.of(server).flatMap(each -> each.info().command()))
        .as("nothing runs, though the system may list it until its end was asked for")
        .isEmpty();
    assertThat(Path.of(directory)).doesNotExist();
  }

  @Test
  void wrongSizesAreNamed() {
    assertThat(Ran.of("demo", "--scale", "0").err()).contains("above 0").contains("0.0");
    assertThat(Ran.of("demo", "--scale", "1", "--small").err()).contains("not both");
    assertThat(Ran.of("demo", "--scale", "much").exitCode()).isEqualTo(2);
  }

  /** A process that starts a server, says where, and waits to be killed. */
  static final class StartAndWait {
    public static void main(String[] arguments) throws Exception {
      System.out.println(LocalPostgres.start().directory());
      new java.util.concurrent.CountDownLatch(1).await();
    }
  }
}
