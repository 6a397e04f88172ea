package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.record.ShelfRecording;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.read.AskedQuestion;
import dev.warmshelf.store.Content;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class StudyCommandTest {
  private static final String SQL =
      "SELECT id FROM port WHERE island = :island AND :token = :token";

  @TempDir private Path directory;

  private record Told(int rows, long bytes, long fingerprint) implements Content {}

  /** Questions of ten islands, by 40 sessions whose token is in the key. */
  private Path recording() throws Exception {
    Path file = directory.resolve("questions.jsonl.gz");
    KeyShape shape = KeyShape.of("", SQL);
    try (ShelfRecording recording = ShelfRecording.to(file).open()) {
      for (int i = 0; i < 2_000; i++) {
        Object[] values = {i % 10, "session " + i * 7 % 40};
        recording.asked(
            "main",
            Key.of(shape, new String[] {"island", "token"}, values),
            new AskedQuestion(SQL, List.of("island", "token"), List.of(values)),
            i < 400 ? Origin.LOADED : Origin.KEPT,
            3_000_000,
            new Told(4, 2_000, 77 + i % 10),
            null);
      }
    }
    return file;
  }

  @Test
  void whatRepeatsIsSaidAndATokenInTheKeyIsFound() throws Exception {
    Ran run = Ran.of("study", recording().toString());
    assertThat(run.exitCode()).as(run.err()).isEqualTo(1);
    assertThat(run.out())
        .startsWith("2,000 questions, recorded from ")
        .contains("SELECT id FROM port WHERE island = :island AND :token = :to…")
        .contains(
            "the next who asked had another 'token' and all else alike, and each got the same")
        .contains("folding(\"token\", any -> one)")
        .contains("More room changes nothing, up to 1.00 GiB.")
        .contains("A time alone, with no feed");
  }

  @Test
  void aProgramReadsItAsJson() throws Exception {
    Ran run =
        Ran.of("study", recording().toString(), "--json", "--memory", "8KiB,1MiB", "--ttl", "2min");
    JsonNode all = new ObjectMapper().readTree(run.out());
    assertThat(all.path("questions").asLong()).isEqualTo(2_000);
    assertThat(all.path("statements").get(0).path("distinct").asLong()).isEqualTo(40);
    assertThat(all.path("advice").get(0).path("parameter").asText()).isEqualTo("token");
    assertThat(all.path("memory")).hasSize(2 * 3);
    assertThat(all.path("memory").get(1).path("hits").asDouble()).isEqualTo(0.98);
    assertThat(all.path("lives").get(0).path("lifeMillis").asLong()).isEqualTo(120_000);
    assertThat(all.path("lives").get(0).path("stale").asDouble()).isZero();
  }

  @Test
  void whatIsAdvisedIsAConfiguration() throws Exception {
    Path file = directory.resolve("advised.yaml");
    String recording = recording().toString();
    Ran run = Ran.of("study", recording, "--config", file.toString());
    assertThat(run.err()).contains("written: " + file);
    assertThat(Files.readString(file))
        .contains("would hit, which saves", "room: 1 MiB", "If what leaves first is ")
        .contains("the next who asked had another 'token'", "folding(\"token\"")
        .containsPattern("- form: [0-9a-f]{16}\n    shelf: main");
    Ran checked = Ran.of("config", "check", file.toString());
    assertThat(checked.exitCode()).as(checked.out()).isZero();
    assertThat(checked.out()).contains("form ").contains("kept on main");
    assertThat(Ran.of("study", recording, "--config", file.toString()).err())
        .contains("is there already");
  }

  @Test
  void whatCannotBeStudiedIsSaid() throws Exception {
    Path no = directory.resolve("no");
    assertThat(Ran.of("study", no.toString()).exitCode()).isEqualTo(2);
    Files.writeString(no, "nothing");
    assertThat(Ran.of("study", no.toString()).err()).contains("it is not compressed with gzip");
    assertThat(Ran.of("study", recording().toString(), "--memory", "much").err())
        .contains("--memory: ");
    assertThat(Ran.of("study", recording().toString(), "--keys", "1").err()).contains("--keys");
  }
}
