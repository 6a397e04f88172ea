package dev.warmshelf.record;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** What becomes of a recording when its program is started anew, ends, or is ended. */
class EarlierRecordingsTest {
  @TempDir private Path directory;

  private List<String> names() throws IOException {
    try (Stream<Path> all = Files.list(directory)) {
      return all.map(each -> each.getFileName().toString()).sorted().toList();
    }
  }

  private static String begun(Path file) throws IOException {
    return RecordingFile.read(file, question -> {}).began().toString();
  }

  private static void record(Path file, int earlier) throws IOException {
    ShelfRecording.to(file).keepingEarlier(earlier).open().close();
  }

  @Test
  void theOldestGoes() throws Exception {
    Path file = directory.resolve("questions.jsonl.gz");
    record(file, 2);
    String first = begun(file);
    record(file, 2);
    String second = begun(file);
    assertThat(begun(directory.resolve("questions.1.jsonl.gz"))).isEqualTo(first);
    record(file, 2);
    record(file, 2);
    assertThat(names())
        .containsExactly("questions.1.jsonl.gz", "questions.2.jsonl.gz", "questions.jsonl.gz");
    assertThat(begun(directory.resolve("questions.2.jsonl.gz"))).isEqualTo(second);
    record(file, 0);
    assertThat(begun(directory.resolve("questions.2.jsonl.gz"))).isEqualTo(second);
    Files.delete(directory.resolve("questions.1.jsonl.gz"));
    record(file, 2); // into the gap
    assertThat(begun(directory.resolve("questions.2.jsonl.gz"))).isEqualTo(second);
    assertThat(names()).hasSize(3);
  }

  @Test
  void aNameNeedsNoEnding() throws Exception {
    for (String name : List.of("asked", ".asked", ".asked.gz")) {
      record(directory.resolve(name), 1);
      record(directory.resolve(name), 1);
    }
    assertThat(names())
        .containsExactly(".asked", ".asked.1", ".asked.1.gz", ".asked.gz", "asked", "asked.1");
  }

  @Test
  void whatIsNoRecordingIsLeftAlone() throws Exception {
    Path file = directory.resolve("questions.jsonl.gz");
    Path first = directory.resolve("questions.1.jsonl.gz");
    Files.writeString(file, "somebody's notes");
    assertThatThrownBy(() -> record(file, 1)).hasMessageContaining("is no recording");
    assertThat(file).hasContent("somebody's notes");
    Files.delete(file);
    record(file, 1);
    Files.writeString(first, "somebody's, too");
    assertThatThrownBy(() -> record(file, 1)).hasMessageContaining(first + " is there");
    assertThat(first).hasContent("somebody's, too");
    assertThat(begun(file)).isNotEmpty();
    Files.delete(first);
    Files.createDirectory(first);
    assertThatThrownBy(() -> record(file, 1)).hasMessageContaining("is a directory");
    assertThatThrownBy(() -> ShelfRecording.to(file).keepingEarlier(-1))
        .isInstanceOf(IllegalArgumentException.class);
  }

  @Test
  void oneThatWasCutOffAnywhereIsOneOfOurs() throws Exception {
    Path file = directory.resolve("questions.jsonl.gz");
    record(file, 0);
    byte[] whole = Files.readAllBytes(file);
    for (int length = 0; length < whole.length; length++) {
      Files.write(file, java.util.Arrays.copyOf(whole, length));
      record(file, 0);
      assertThat(RecordingFile.read(file, question -> {}).complete()).as("%d", length).isTrue();
    }
  }

  /** A program that forgets to close its recording; with an argument it does not end by itself. */
  public static void main(String[] arguments) throws Exception {
    ShelfRecording recording = ShelfRecording.to(Path.of(arguments[0])).open();
    recording.changed(List.of());
    System.out.println("recording");
    if (arguments.length > 1) {
      new CountDownLatch(1).await();
    }
  }

  @Test
  void itEndsWithAProgramThatForgetsItAndBySigterm() throws Exception {
    for (List<String> more : List.of(List.<String>of(), List.of("stays"))) {
      Path file = directory.resolve("forgotten" + more.size() + ".jsonl.gz");
      ProcessBuilder java =
          new ProcessBuilder(
              ProcessHandle.current().info().command().orElse("java"),
              "-cp",
              System.getProperty("java.class.path"),
              EarlierRecordingsTest.class.getName(),
              file.toString());
      java.command().addAll(more);
      Process process = java.redirectErrorStream(true).start();
      try (BufferedReader said =
          new BufferedReader(
              new InputStreamReader(process.getInputStream(), StandardCharsets.UTF_8))) {
        assertThat(said.lines().anyMatch("recording"::equals)).isTrue();
        if (!more.isEmpty()) {
          process.destroy(); // SIGTERM
        }
        assertThat(process.waitFor(30, TimeUnit.SECONDS)).isTrue();
      }
      assertThat(RecordingFile.read(file, question -> {}).complete()).as("%s", more).isTrue();
    }
  }
}
