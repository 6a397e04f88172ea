package dev.warmshelf.study;

import dev.warmshelf.record.RecordingFile;
import dev.warmshelf.shelf.Origin;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A question of a recording, ready to be counted.
 *
 * @param key the digest
 * @param known whether the answer tells what it is
 * @param fingerprint of the answer; 0 where it does not tell
 * @param values null where they were left out
 */
record Asked(
    long atMicros,
    int statement,
    long key,
    Origin outcome,
    long loadMicros,
    boolean known,
    long fingerprint,
    int rows,
    long bytes,
    @Nullable List<@Nullable Object> values) {
  static Asked of(RecordingFile.Question question) {
    RecordingFile.Told told = question.answer().orElse(null);
    return new Asked(
        question.atMicros(),
        question.statement().number(),
        Long.parseUnsignedLong(question.key(), 16),
        question.outcome(),
        question.loadMicros(),
        told != null,
        told == null ? 0 : Long.parseUnsignedLong(told.fingerprint(), 16),
        told == null ? 0 : told.rows(),
        told == null ? 0 : told.bytes(),
        question.values().orElse(null));
  }

  /** Whether the database was asked for it. */
  boolean isRead() {
    return outcome == Origin.LOADED || outcome == Origin.DIRECT;
  }

  /** When its reading began. */
  long beganMicros() {
    return isRead() ? atMicros - loadMicros : atMicros;
  }
}
