package dev.warmshelf.measure.workload;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.scenario.SkerryLine;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class RecordedRequestsTest {
  private static final String HEAD =
      """
      {"recording":"warm-shelf","version":1,"began":"2026-05-01T00:00:00Z","parameters":true}
      {"statement":1,"shelf":"main","digest":"a","sql":"SELECT id, severity, text, version FROM notice WHERE port_id = :port ORDER BY id","parameters":["port"]}
      {"statement":2,"shelf":"main","digest":"b","sql":"SELECT 1","parameters":[]}
      {"statement":3,"shelf":"main","digest":"c","sql":null,"parameters":[]}
      """;

  @TempDir private Path directory;

  @Test
  void questionsComeInTheirOrderSharedOutInTurn() throws Exception {
    RecordedRequests recorded =
        RecordedRequests.of(
            recording(
                """
                [5000000,1,"k1","l",9,1,1,"f",[1]]
                [5000100,2,"k2","l",9,1,1,"f",[]]
                [5000150,3,"k3","l",9,-1,-1,null]
                [5000300,1,"k1","k",9,1,1,"f",[1]]
                [95000300,1,"k4","l",9,1,1,"f",[2]]
                """),
            WorkloadFile.read(SkerryLine.workload()),
            2,
            2);
    assertThat(recorded.size()).hasValue(4);
    assertThat(recorded.leftOut()).containsExactly("1 questions that are no queries");
    List<Requests.Paced> first = all(recorded.stream(0));
    List<Requests.Paced> second = all(recorded.stream(1));
    assertThat(first)
        .extracting(paced -> paced.request().query().label())
        .containsExactly("notices", "notices");
    assertThat(second)
        .extracting(paced -> paced.request().query().label())
        .containsExactly("statement 2", "notices");
    assertThat(first.get(0).request().inputs()).isEqualTo(Map.of("port", 1));
    assertThat(first.get(0).request()).isSameAs(first.get(1).request());
    assertThat(second.get(1).request().inputs()).isEqualTo(Map.of("port", 2));
    // Half the recorded time, and of the pause of 90 seconds one second is left.
    assertThat(first).extracting(Requests.Paced::gapNanos).containsExactly(0L, 150_000L);
    assertThat(second).extracting(Requests.Paced::gapNanos).containsExactly(50_000L, 500_100_000L);
    assertThat(recorded.samples()).hasSize(2);
    assertThat(first.get(0).request().query().versions()).isNotEmpty();
    assertThat(second.get(0).request().query().versions()).isEmpty();
  }

  @Test
  void aRecordingWithoutQuestionsToAskIsSaidToBeOne() throws Exception {
    assertThatThrownBy(() -> RecordedRequests.of(recording(""), null, 1, 0))
        .isInstanceOf(IOException.class)
        .hasMessageContaining("holds no question that could be asked again");
    Path without =
        write(
            HEAD.replace("\"parameters\":true", "\"parameters\":false")
                + "[1,1,\"k\",\"l\",9,1,1,\"f\"]\n");
    assertThatThrownBy(() -> RecordedRequests.of(without, null, 1, 0))
        .hasMessageContaining("recorded without parameters");
  }

  private Path recording(String questions) throws IOException {
    return write(HEAD + questions);
  }

  private Path write(String lines) throws IOException {
    Path file = directory.resolve("recording.jsonl.gz");
    try (GZIPOutputStream out = new GZIPOutputStream(Files.newOutputStream(file))) {
      out.write(lines.getBytes(StandardCharsets.UTF_8));
    }
    return file;
  }

  private static List<Requests.Paced> all(Requests stream) {
    List<Requests.Paced> all = new ArrayList<>();
    for (Requests.Paced next = stream.next(); next != null; next = stream.next()) {
      all.add(next);
    }
    return all;
  }
}
