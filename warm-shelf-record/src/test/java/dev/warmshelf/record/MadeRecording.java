package dev.warmshelf.record;

import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.record.ShelfRecording.Asked;
import dev.warmshelf.record.ShelfRecording.Changed;
import dev.warmshelf.record.ShelfRecording.Told;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.read.AskedQuestion;
import java.io.IOException;
import java.nio.file.Path;
import java.time.Instant;
import org.jspecify.annotations.Nullable;

/** A recording that a test makes, at the times that it says. */
public final class MadeRecording implements AutoCloseable {
  private final RecordingWriter writer;

  public MadeRecording(Path file) throws IOException {
    this.writer =
        new RecordingWriter(
            ShelfRecording.to(file).atMost(Long.MAX_VALUE), Instant.parse("2026-05-01T10:00:00Z"));
  }

  /** A question that the database answered. */
  public void read(
      long atMicros,
      Key key,
      AskedQuestion words,
      long loadMicros,
      Told answer,
      @Nullable Footprint footprint)
      throws IOException {
    answered(atMicros, key, words, Origin.DIRECT, loadMicros, answer, footprint);
  }

  /** A question, and where its answer came from. */
  public void answered(
      long atMicros,
      Key key,
      AskedQuestion words,
      Origin outcome,
      long loadMicros,
      Told answer,
      @Nullable Footprint footprint)
      throws IOException {
    long at = atMicros * 1_000;
    writer.write(
        new Asked(at, "main", key, words, outcome, loadMicros * 1_000, answer, footprint), at);
  }

  public static Told answer(int rows, long bytes, long fingerprint) {
    return new Told(rows, bytes, fingerprint);
  }

  public void changed(long atMicros, Lane table) throws IOException {
    changed(atMicros, Change.atLarge(table));
  }

  public void changed(long atMicros, Change change) throws IOException {
    writer.write(new Changed(atMicros * 1_000, change), atMicros * 1_000);
  }

  @Override
  public void close() throws IOException {
    writer.end(0);
  }
}
