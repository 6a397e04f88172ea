package dev.warmshelf.record;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.base.SystemTime;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.record.RecordingFile.Question;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.AskedQuestion;
import dev.warmshelf.shelf.read.Ground;
import dev.warmshelf.shelf.read.ReadRequest;
import dev.warmshelf.store.Content;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.util.AbstractList;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Set;
import java.util.UUID;
import java.util.concurrent.CountDownLatch;
import java.util.zip.GZIPInputStream;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class ShelfRecordingTest {
  @TempDir private Path directory;

  private record Rows(int rows, long bytes, long fingerprint) implements Content {}

  @Test
  void whatShelvesAreAskedIsReadBack() throws Exception {
    Path file = directory.resolve("questions.jsonl.gz");
    Board board = new Board();
    try (SystemTime time = SystemTime.start();
        ShelfRecording recording = ShelfRecording.to(file).open();
        AnswerShelf shelf =
            new AnswerShelf("ports", Policy.standard(), board, time, Ground.Trust.TTL_ALONE)) {
      shelf.recordTo(recording);
      ask(shelf, 4);
      ask(shelf, 4);
      ask(shelf, 5);
      shelf.recordTo(null);
      ask(shelf, 6);
    }
    List<Question> questions = new ArrayList<>();
    RecordingFile.Summary summary = RecordingFile.read(file, questions::add);
    assertThat(summary.complete()).isTrue();
    assertThat(summary.lost()).isZero();
    assertThat(summary.questions()).isEqualTo(3);
    assertThat(summary.parameters()).isTrue();
    assertThat(questions)
        .extracting(Question::outcome)
        .containsExactly(Origin.LOADED, Origin.KEPT, Origin.LOADED);
    assertThat(questions)
        .extracting(q -> q.values().orElseThrow())
        .containsExactly(List.of(4), List.of(4), List.of(5));
    Question first = questions.get(0);
    assertThat(first.statement().sql()).contains("SELECT name FROM port WHERE id = :id");
    assertThat(first.statement().parameters()).containsExactly("id");
    assertThat(first.statement().shelf()).isEqualTo("ports");
    assertThat(first.key()).isEqualTo(questions.get(1).key()).hasSize(16);
    assertThat(first.key()).isNotEqualTo(questions.get(2).key());
    assertThat(first.answer()).hasValue(new RecordingFile.Told(1, 104, "0000000000000004"));
    assertThat(questions).extracting(Question::atMicros).isSorted();
  }

  @Test
  void changesAndTheTablesOfStatementsAreReadBack() throws Exception {
    Path file = directory.resolve("changes.jsonl.gz");
    Lane port = Lane.ofTable("public", "port");
    Lane island = Lane.ofTable("public", "an \"island\"");
    AskedQuestion words = new AskedQuestion("SELECT :id", List.of("id"), List.of(1));
    try (ShelfRecording recording = ShelfRecording.to(file).open()) {
      for (Footprint footprint :
          List.of(Footprint.of(port), Footprint.of(port), Footprint.of(port, island))) {
        recording.asked("s", key(1), words, Origin.LOADED, 5, "no content", footprint);
      }
      Footprint one = Footprint.of(port.group("id=1"), port.atLarge());
      recording.asked("s", key(1), words, Origin.LOADED, 5, "no content", one);
      recording.changed(List.of(Change.atLarge(island), Change.atLarge(Lane.SCHEMA)));
    }
    List<String> told = new ArrayList<>();
    RecordingFile.read(
        file,
        new RecordingFile.Reader() {
          @Override
          public void question(Question question) {
            told.add("question");
          }

          @Override
          public void changed(RecordingFile.TableChange change) {
            assertThat(change.atMicros()).isNotNegative();
            told.add("changed " + change.table());
          }

          @Override
          public void dependsOn(RecordingFile.Statement statement, Set<String> tables) {
            told.add(statement.number() + " on " + tables);
          }

          @Override
          public void standsOn(String key, Set<String> lanes) {
            told.add("on " + lanes.size() + " lanes");
          }
        });
    assertThat(told)
        .containsExactly(
            "1 on [\"public\".\"port\"]",
            "question",
            "question",
            "1 on [\"public\".\"an \"\"island\"\"\", \"public\".\"port\"]",
            "question",
            "on 2 lanes",
            "question",
            "changed \"public\".\"an \"\"island\"\"\"",
            "changed *");
  }

  @Test
  void parametersCanBeLeftOut() throws Exception {
    Path file = directory.resolve("without.jsonl.gz");
    try (ShelfRecording recording = ShelfRecording.to(file).withoutParameters().open()) {
      record(recording, "secret");
      Lane port = Lane.ofTable("public", "port");
      Footprint one = Footprint.of(port.group("name=secret"), port.atLarge());
      AskedQuestion words = new AskedQuestion("SELECT 2", List.of(), List.of());
      recording.asked("s", key(2), words, Origin.LOADED, 5, "no content", one);
      recording.changed(List.of(Change.atLarge(port)));
    }
    List<Question> questions = new ArrayList<>();
    assertThat(RecordingFile.read(file, questions::add).parameters()).isFalse();
    assertThat(questions.get(0).values()).isEmpty();
    assertThat(text(file))
        .contains("SELECT 1 WHERE", "\"changed\"")
        .as("nor digests, by which they could be guessed")
        .doesNotContain("secret", "lanes");
  }

  @Test
  void valuesOfEveryKindComeBackAsTheyWere() throws Exception {
    List<Object> values =
        Arrays.asList(
            "text",
            "",
            null,
            true,
            7,
            7_000_000_000L,
            new BigDecimal("1.50"),
            2.5,
            2.5f,
            LocalDate.of(2026, 5, 1),
            LocalDateTime.parse("2026-05-01T10:00"),
            LocalTime.NOON,
            OffsetDateTime.parse("2026-05-01T10:00+02:00"),
            Instant.EPOCH,
            new UUID(1, 2),
            List.of(1, "a", List.of()));
    Path file = directory.resolve("values.jsonl.gz");
    try (ShelfRecording recording = ShelfRecording.to(file).open()) {
      record(recording, values.toArray());
      record(recording, (Object) new byte[] {1, -1});
    }
    List<Question> questions = new ArrayList<>();
    RecordingFile.read(file, questions::add);
    assertThat(questions.get(0).values().orElseThrow()).isEqualTo(values);
    assertThat((byte[]) questions.get(1).values().orElseThrow().get(0)).containsExactly(1, -1);
  }

  @Test
  void aFileStaysWithinItsBoundAndReadersNoticeNothing() throws Exception {
    Path file = directory.resolve("full.jsonl.gz");
    ShelfRecording recording = ShelfRecording.to(file).atMost(20_000).open();
    int asked = 0;
    while (!recording.isEnded()) {
      record(recording, UUID.randomUUID().toString());
      asked++;
    }
    recording.close();
    record(recording, "after the end");
    // The compressor holds back up to two buffers of 32 KiB.
    assertThat(Files.size(file)).isBetween(20_000L, 20_000L + 2 * 32_768);
    RecordingFile.Summary summary = RecordingFile.read(file, question -> {});
    assertThat(summary.complete()).isTrue();
    assertThat(summary.questions()).isGreaterThan(100);
    assertThat(summary.questions() + recording.lost())
        .as("each question is written or counted as lost, also the one after the end")
        .isEqualTo(asked + 1L);
  }

  @Test
  void readersThatAreQuickerThanTheWriterLoseQuestionsAndNotTime() throws Exception {
    Path file = directory.resolve("lost.jsonl.gz");
    CountDownLatch release = new CountDownLatch(1);
    List<Object> blocking =
        new AbstractList<>() {
          @Override
          public Object get(int index) {
            try {
              release.await();
            } catch (InterruptedException e) {
              Thread.currentThread().interrupt();
            }
            return 0;
          }

          @Override
          public int size() {
            return 1;
          }
        };
    AskedQuestion words = new AskedQuestion("SELECT 1 WHERE :v", List.of("v"), blocking);
    int asked = 40_000;
    long lost;
    try (ShelfRecording recording = ShelfRecording.to(file).open()) {
      for (int i = 0; i < asked; i++) {
        recording.asked("s", key(i), words, Origin.KEPT, 0, "no content", null);
      }
      lost = recording.lost();
      assertThat(lost).isBetween(asked - 16_384L - 513, asked - 16_384L);
      release.countDown();
    }
    RecordingFile.Summary summary = RecordingFile.read(file, question -> {});
    assertThat(summary.lost()).isEqualTo(lost);
    assertThat(summary.questions()).isEqualTo(asked - lost);
    long told =
        text(file)
            .lines()
            .filter(line -> line.startsWith("{\"lost\":"))
            .mapToLong(line -> Long.parseLong(line.replaceAll("\\D", "")))
            .sum();
    assertThat(told).as("told on the way, too, lest the end be cut off").isEqualTo(lost);
  }

  @Test
  void aRecordingThatWasCutOffIsReadAsFarAsItGoes() throws Exception {
    Path file = directory.resolve("whole.jsonl.gz");
    try (ShelfRecording recording = ShelfRecording.to(file).open()) {
      for (int i = 0; i < 10_000; i++) { // fewer than may wait, so that none is lost
        record(recording, i);
      }
    }
    byte[] all = Files.readAllBytes(file);
    Path cut = directory.resolve("cut.jsonl.gz");
    Files.write(cut, Arrays.copyOf(all, all.length / 2));
    RecordingFile.Summary summary = RecordingFile.read(cut, question -> {});
    assertThat(summary.complete()).isFalse();
    assertThat(summary.questions()).isBetween(2_500L, 7_500L);
  }

  @Test
  void whatIsNoRecordingIsSaidToBeNone() throws Exception {
    Path plain = directory.resolve("plain");
    Files.writeString(plain, "SELECT 1");
    assertThatThrownBy(() -> RecordingFile.read(plain, q -> {}))
        .isInstanceOf(IOException.class)
        .hasMessageContaining("not compressed with gzip");
    assertThatThrownBy(() -> RecordingFile.read(compressed("[1]\n"), q -> {}))
        .hasMessageContaining("line 1: this is no recording of ours");
    assertThatThrownBy(
            () ->
                RecordingFile.read(
                    compressed("{\"recording\":\"warm-shelf\",\"version\":9}"), q -> {}))
        .hasMessageContaining("version 9");
    String head =
        "{\"recording\":\"warm-shelf\",\"version\":1,\"began\":\"2026-05-01T00:00:00Z\","
            + "\"parameters\":true}\n";
    assertThatThrownBy(
            () ->
                RecordingFile.read(
                    compressed(head + "[1,7,\"k\",\"k\",1,1,1,\"f\",[]]\n"), q -> {}))
        .hasMessageContaining("line 2: there is no statement 7");
    assertThatThrownBy(() -> RecordingFile.read(compressed(head + "nonsense\n{}\n"), q -> {}))
        .hasMessageContaining("line 2: this is not JSON");
    assertThatThrownBy(() -> RecordingFile.read(Path.of("/dev/zero"), q -> {}))
        .hasMessageContaining("not a file");
    assertThatThrownBy(() -> ShelfRecording.to(Path.of("/dev/full")).open())
        .hasMessageContaining("not a file");
  }

  @Test
  void theExampleOfItsPageIsARecording() throws Exception {
    String page = Files.readString(Path.of("../docs/recording.md"));
    int from = page.indexOf("{\"recording\"");
    List<Question> questions = new ArrayList<>();
    RecordingFile.Summary summary =
        RecordingFile.read(
            compressed(page.substring(from, page.indexOf("```", from))), questions::add);
    assertThat(summary.complete()).isTrue();
    assertThat(summary.lost()).isEqualTo(12);
    assertThat(summary.questions()).isEqualTo(2);
    assertThat(questions).extracting(Question::outcome).containsExactly(Origin.LOADED, Origin.KEPT);
    for (String type : JsonValues.types()) {
      assertThat(page).contains("`" + type + "`");
    }
  }

  private Path compressed(String text) throws IOException {
    Path file = directory.resolve("made-up.gz");
    try (GZIPOutputStream out = new GZIPOutputStream(Files.newOutputStream(file))) {
      out.write(text.getBytes(StandardCharsets.UTF_8));
    }
    return file;
  }

  private static String text(Path file) throws IOException {
    try (InputStream in = new GZIPInputStream(Files.newInputStream(file))) {
      ByteArrayOutputStream out = new ByteArrayOutputStream();
      in.transferTo(out);
      return out.toString(StandardCharsets.UTF_8);
    }
  }

  private static void record(ShelfRecording recording, Object... values) {
    List<String> names = new ArrayList<>();
    for (int i = 0; i < values.length; i++) {
      names.add("v" + i);
    }
    recording.asked(
        "s",
        key(1),
        new AskedQuestion("SELECT 1 WHERE :v0", names, Arrays.asList(values)),
        Origin.KEPT,
        0,
        "no content",
        null);
  }

  private static Key key(int id) {
    return Key.of(KeyShape.of("test", "select name"), new String[] {"id"}, new Object[] {id});
  }

  private static void ask(AnswerShelf shelf, int id) {
    shelf.<Content, Content, RuntimeException>read(
        key(id),
        new ReadRequest<Content, RuntimeException>() {
          @Override
          public Footprint lanes() {
            return Footprint.NOTHING;
          }

          @Override
          public Content load() {
            return new Rows(1, 100 + id, id);
          }

          @Override
          public AskedQuestion words() {
            return new AskedQuestion(
                "SELECT name FROM port WHERE id = :id", List.of("id"), Arrays.asList(id));
          }
        },
        value -> value);
  }
}
