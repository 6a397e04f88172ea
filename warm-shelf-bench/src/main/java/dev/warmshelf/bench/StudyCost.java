package dev.warmshelf.bench;

import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.record.ShelfRecording;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.read.AskedQuestion;
import dev.warmshelf.store.Content;
import dev.warmshelf.study.Findings;
import dev.warmshelf.study.Study;
import dev.warmshelf.trial.Zipf;
import java.io.PrintStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Locale;
import java.util.SplittableRandom;
import java.util.concurrent.locks.LockSupport;

/**
 * How long the study of a recording takes. {@code StudyCost FILE QUESTIONS} makes the recording if
 * it is not there: questions by Zipf's law, of 30 statements of three parameters each.
 */
public final class StudyCost {
  private static final int STATEMENTS = 30;
  private static final int DIFFERENT = 2_000_000;
  private static final int MOST_WAITING = 10_000;
  private static final long LOAD_NANOS = 2_000_000;

  private StudyCost() {}

  private record Told(int rows, long bytes, long fingerprint) implements Content {}

  /**
   * Makes the recording, studies it, and prints how long that took.
   *
   * @throws Exception if the file cannot be written or read
   */
  public static void main(String[] arguments) throws Exception {
    PrintStream out = System.out;
    Path file = Path.of(arguments[0]);
    long questions = Long.parseLong(arguments[1]);
    if (!Files.exists(file)) {
      make(file, questions);
    }
    long began = System.nanoTime();
    Findings findings = Study.of(file, Study.Plan.usual());
    out.printf(
        Locale.ROOT,
        "%,d questions, %,d bytes: studied in %.1f s, heap of %,d MiB; %.2f %% of the keys%n",
        findings.summary().questions(),
        Files.size(file),
        (System.nanoTime() - began) / 1e9,
        Runtime.getRuntime().maxMemory() >> 20,
        100 * findings.lookedAt());
  }

  private static void make(Path file, long questions) throws Exception {
    SplittableRandom random = new SplittableRandom(1);
    Zipf ranks = new Zipf(DIFFERENT, 0.8);
    List<String> names = List.of("a", "b", "c");
    String[] sorted = names.toArray(new String[0]);
    try (ShelfRecording recording = ShelfRecording.to(file).atMost(Long.MAX_VALUE).open()) {
      for (long i = 0; i < questions; i++) {
        int rank = ranks.draw(random);
        String sql = "SELECT " + rank % STATEMENTS + " WHERE a = :a AND b = :b AND c = :c";
        Object[] values = {rank / STATEMENTS, rank % 7, "x" + rank % 11};
        while (recording.waiting() > MOST_WAITING) {
          LockSupport.parkNanos(LOAD_NANOS / 20);
        }
        recording.asked(
            "main",
            Key.of(KeyShape.of("", sql), sorted, values),
            new AskedQuestion(sql, names, List.of(values)),
            Origin.DIRECT,
            LOAD_NANOS,
            new Told(3, 900, rank * 31L),
            null);
      }
    }
  }
}
