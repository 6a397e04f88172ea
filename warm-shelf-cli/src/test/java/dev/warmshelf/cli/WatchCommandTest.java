package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.BufferedReader;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

class WatchCommandTest {
  @Test
  @Timeout(60)
  void showsTheMetersOfAnotherProgram() throws Exception {
    OtherProgram.whileItRuns(
        pid -> {
          Ran asJson = Ran.of("watch", pid, "--times", "1", "--json");
          assertThat(asJson.err()).isEmpty();
          JsonNode shelf = new ObjectMapper().readTree(asJson.out()).get("shelves").get(0);
          assertThat(shelf.get("shelf").asText()).isEqualTo("the orders/main");
          assertThat(shelf.get("lookups").asLong()).isEqualTo(4);
          assertThat(shelf.get("hitRatio").asDouble()).isEqualTo(0.75);
          assertThat(shelf.get("hitRatioNow").isNull()).isTrue();
          assertThat(shelf.get("timeSavedNanos").isNumber()).isTrue();
          assertThat(shelf.get("bytes").asLong()).isBetween(200L, 2_000L);
          assertThat(shelf.get("feed").asText()).isEqualTo("none");
          Ran asLines = Ran.of("watch", pid, "--times", "2");
          assertThat(asLines.exitCode()).isZero();
          assertThat(asLines.out().lines().toList())
              .hasSize(2)
              .allSatisfy(
                  line ->
                      assertThat(line)
                          .contains(
                              "shelf=\"the orders/main\" feed=none lookups/s=0 hits=", " memory=")
                          .hasSizeLessThan(180));
          Ran statements = Ran.of("statements", pid);
          assertThat(statements.exitCode()).isZero();
          assertThat(statements.out().lines().toList().get(2).split(" {3,}"))
              .containsSubsequence("0123456789abcdef", "5", "2", "0");
          assertThat(Ran.of("statements", pid, "--json").out())
              .contains("\"form\":\"0123456789abcdef\",\"hits\":5,\"misses\":2");
        });
  }

  @Test
  @Timeout(60)
  void aProcessThatIsNoJavaProgramIsNamedAndLivesOn() throws Exception {
    Process sleeping = new ProcessBuilder("sleep", "50").start();
    try {
      Ran ran = Ran.of("watch", Long.toString(sleeping.pid()));
      assertThat(ran.exitCode()).isEqualTo(2);
      assertThat(ran.err()).contains("(sleep) is no Java program");
      assertThat(sleeping.isAlive()).isTrue();
    } finally {
      sleeping.destroyForcibly();
    }
  }

  @Test
  @Timeout(60)
  void aProgramThatEndsIsSaidToHaveEnded() throws Exception {
    Process other = OtherProgram.start();
    try (BufferedReader said = other.inputReader()) {
      assertThat(said.readLine()).isEqualTo("ready");
      CompletableFuture<Ran> watching =
          CompletableFuture.supplyAsync(
              () -> Ran.of("watch", Long.toString(other.pid()), "--times", "50"));
      // Its meters are read by now, or it has ended before: either is said.
      other.destroyForcibly().waitFor();
      Ran ran = watching.get(50, TimeUnit.SECONDS);
      assertThat(ran.exitCode()).isEqualTo(2);
      assertThat(ran.err()).containsAnyOf("has ended", "There is no process", "no Java program");
    }
  }

  @Test
  void whatIsNoProgramIsNamed() {
    assertThat(Ran.of("watch", "somewhere").err()).contains("neither a process id nor HOST:PORT");
    assertThat(Ran.of("watch", "999999999").err()).contains("There is no process 999999999");
    assertThat(Ran.of("watch", "localhost:1").err()).contains("localhost:1");
    assertThat(Ran.of("watch", "1", "--interval", "0").exitCode()).isEqualTo(2);
  }
}
