package dev.warmshelf.study;

import dev.warmshelf.record.RecordingFile;
import dev.warmshelf.study.KeyAdvice.Mixes;
import dev.warmshelf.study.Repeats.Gap;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import org.HdrHistogram.Histogram;
import org.jspecify.annotations.Nullable;

/** What is known of one statement. For one thread. */
final class StatementState {
  private static final int FEWEST_DIFFERENCES = 5;
  private static final double LEAST_SHARE = 0.02;
  private static final int FEWEST_KEYS = 2;
  private static final int EXAMPLES = 3;

  /** With fewer kinds of answers nothing can be said of what decides them. */
  private static final int FEWEST_ANSWERS = 3;

  private final StatementText text;
  private final List<ParameterState> parameters = new ArrayList<>();
  private final Histogram gaps = new Histogram(2);
  private final Answers answers = new Answers();
  private long questions;
  private double loadMicros;

  StatementState(RecordingFile.Statement statement) {
    this.text = StatementText.of(statement);
    statement.parameters().forEach(name -> parameters.add(new ParameterState(name)));
  }

  void ask(Asked asked, Judged judged) {
    questions++;
    loadMicros += asked.loadMicros();
    List<@Nullable Object> values = asked.values();
    if (!asked.known() || values == null || values.size() != parameters.size()) {
      return;
    }
    answers.meet(asked.fingerprint());
    long[] digests = new long[values.size()];
    long all = 0;
    for (int i = 0; i < digests.length; i++) {
      digests[i] = Sample.spread(digest(values.get(i)) + 31L * i);
      all += digests[i];
    }
    for (int i = 0; i < digests.length; i++) {
      parameters.get(i).ask(asked, Sample.spread(all - digests[i]), digests[i], judged);
    }
  }

  private static long digest(@Nullable Object value) {
    String text = String.valueOf(value);
    long digest = 0xcbf29ce484222325L; // FNV-1a
    for (int i = 0; i < text.length(); i++) {
      digest = (digest ^ text.charAt(i)) * 0x100000001b3L;
    }
    return digest;
  }

  void repeated(long gapMicros) {
    gaps.recordValue(Math.max(1, gapMicros));
  }

  /**
   * @param keys those of its keys that were looked at
   */
  Repeats repeats(List<KeyState> keys, double rate) {
    Share.Sums hits = new Share.Sums();
    Share.Sums unread = new Share.Sums();
    for (KeyState key : keys) {
      hits.add(key.digest, key.hits, key.questions);
      unread.add(key.digest, key.neverReadAtEnd(), key.fills);
    }
    Optional<Gap> gap =
        gaps.getTotalCount() == 0
            ? Optional.empty()
            : Optional.of(new Gap(gaps.getValueAtPercentile(50), gaps.getValueAtPercentile(90)));
    return new Repeats(
        text,
        questions,
        Math.round(keys.size() / rate),
        hits.share(rate, questions * rate),
        unread.share(rate),
        gap,
        loadMicros / questions);
  }

  List<KeyAdvice> advice(List<KeyState> keys, Share hits, boolean told) {
    List<KeyAdvice> all = new ArrayList<>();
    mixes(keys, told).ifPresent(all::add);
    if (answers.size() >= FEWEST_ANSWERS) {
      parameters.forEach(each -> each.advice(text, hits, told).ifPresent(all::add));
    }
    return all;
  }

  private Optional<Mixes> mixes(List<KeyState> keys, boolean told) {
    long compared = 0;
    long differed = 0;
    long returned = 0;
    List<KeyState> mixed = new ArrayList<>();
    for (KeyState key : keys) {
      compared += key.compared;
      returned += key.returned;
      int counts = told ? key.differed : key.returned; // else a change may be why
      differed += counts;
      if (counts > 0) {
        mixed.add(key);
      }
    }
    if (differed < FEWEST_DIFFERENCES
        || differed < LEAST_SHARE * compared
        || mixed.size() < Math.min(FEWEST_KEYS, keys.size())) {
      return Optional.empty();
    }
    mixed.sort(Comparator.comparingInt((KeyState key) -> key.differed).reversed());
    return Optional.of(
        new Mixes(
            text,
            compared,
            differed,
            returned,
            mixed.size(),
            mixed.stream().limit(EXAMPLES).map(KeyState::example).toList()));
  }
}
