package dev.warmshelf.study;

import dev.warmshelf.key.Key;
import dev.warmshelf.record.RecordingFile;
import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.trial.MovableTime;
import java.io.IOException;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.function.LongConsumer;
import java.util.function.LongPredicate;

/**
 * Reads a recording once, and says what repeats, which keys are wrong, and what other memory or
 * lives would give.
 *
 * <p>An answer is taken for true when it was given: what a shelf served within the feed's lag of a
 * change counts as its truth. So a recording is best made with answers that follow the feed, or
 * with none kept. Where answers tell no fingerprint, as results of computations do that are no
 * rows, a question counts as a hit where it was one.
 *
 * <p>Up to {@link Plan#mostKeys} keys all are looked at; of more, a sample, and each share says how
 * far it may be off.
 */
public final class Study {
  private final Map<Integer, StatementState> statements = new HashMap<>();
  private final Sample<KeyState> keys;
  private final Map<Long, Key> named = new HashMap<>();
  private final Changes changes = new Changes();
  private final Judged judged = new Judged(changes);
  private final Lives lives;
  private final UntilChanged untilChanged = new UntilChanged(changes);
  private final Beside beside = new Beside();
  private final MovableTime time = new MovableTime();
  private final List<SmallShelf> shelves = new ArrayList<>();
  private double rate = 1;
  private double questions;
  private double micros;

  /**
   * What is asked of a recording. Immutable.
   *
   * @param mostKeys how many keys are looked at, at most
   * @param memory room, in bytes
   * @param leaving what may leave first
   * @param lives how long answers may be kept, whatever changes
   */
  public record Plan(int mostKeys, List<Long> memory, List<Leaving> leaving, List<Duration> lives) {
    private static final int MOST_KEYS = 16_384;
    private static final long MIB = 1 << 20;

    /** Rooms from 1 MiB to 1 GiB, three choices of what leaves first, lives up to an hour. */
    public static Plan usual() {
      return new Plan(
          MOST_KEYS,
          List.of(MIB, 4 * MIB, 16 * MIB, 64 * MIB, 256 * MIB, 1024 * MIB),
          List.of(Leaving.LEAST_TIME_SAVED, Leaving.LONGEST_UNUSED, Leaving.LEAST_OFTEN_USED),
          List.of(
              Duration.ofSeconds(1),
              Duration.ofSeconds(10),
              Duration.ofMinutes(1),
              Duration.ofMinutes(10),
              Duration.ofHours(1)));
    }

    /** The same for these rooms. */
    public Plan withMemory(List<Long> bytes) {
      return new Plan(mostKeys, List.copyOf(bytes), leaving, lives);
    }

    /** The same, which looks at no more keys than this. */
    public Plan lookingAt(int most) {
      return new Plan(most, memory, leaving, lives);
    }
  }

  private Study(Plan plan) {
    this.keys = new Sample<>(plan.mostKeys());
    this.lives = new Lives(plan.lives());
    for (Leaving each : plan.leaving()) {
      plan.memory().forEach(bytes -> shelves.add(new SmallShelf(each, bytes, time)));
    }
  }

  /**
   * Reads it.
   *
   * @throws IOException if the file cannot be read, or is no recording; the message names the line
   */
  public static Findings of(Path recording, Plan plan) throws IOException {
    return of(recording, plan, read -> {});
  }

  /**
   * Reads it.
   *
   * @param progress told how many questions are read so far, each time
   * @throws IOException if the file cannot be read, or is no recording; the message names the line
   */
  public static Findings of(Path recording, Plan plan, LongConsumer progress) throws IOException {
    Study study = new Study(plan);
    try {
      return study.findings(RecordingFile.read(recording, study.reader(progress)));
    } finally {
      study.beside.close();
    }
  }

  private RecordingFile.Reader reader(LongConsumer progress) {
    return new RecordingFile.Reader() {
      private long read;

      @Override
      public void question(RecordingFile.Question question) {
        ask(question);
        progress.accept(++read);
      }

      @Override
      public void changed(RecordingFile.TableChange change) {
        judged.until(change.atMicros());
        changes.changed(change.table(), change.atMicros());
        untilChanged.changed(change.lanes(), change.atMicros());
      }

      @Override
      public void dependsOn(RecordingFile.Statement statement, Set<String> tables) {
        changes.dependsOn(statement.number(), tables);
      }

      @Override
      public void standsOn(String key, Set<String> lanes) {
        untilChanged.standsOn(Long.parseUnsignedLong(key, 16), lanes);
      }
    };
  }

  private void ask(RecordingFile.Question question) {
    Asked asked = Asked.of(question);
    judged.until(asked.atMicros());
    questions++;
    micros += asked.loadMicros();
    StatementState statement =
        statements.computeIfAbsent(
            asked.statement(), number -> new StatementState(question.statement()));
    statement.ask(asked, judged);
    KeyState key = keys.of(asked.key(), digest -> new KeyState(digest, asked.statement()));
    lookLess();
    if (key == null) {
      return;
    }
    if (key.questions > 0) {
      statement.repeated(asked.atMicros() - key.lastMicros);
    }
    key.ask(asked);
    if (asked.known()) {
      if (asked.isRead()) {
        key.read(asked, judged);
      }
      lives.ask(asked, rate);
      untilChanged.ask(asked, rate);
      Key name =
          named.computeIfAbsent(asked.key(), digest -> Key.named("", Long.toHexString(digest)));
      beside.then(
          () -> {
            time.moveTo(asked.atMicros() * 1_000);
            shelves.forEach(shelf -> shelf.ask(name, asked));
          });
    }
  }

  /** Follows the sample, where that looks at fewer keys than before. */
  private void lookLess() {
    if (keys.rate() != rate) {
      rate = keys.rate();
      named.keySet().removeIf(each -> !keys.isIn(each));
      lives.forgetAllBut(keys);
      untilChanged.forgetAllBut(keys);
      double part = rate;
      LongPredicate isIn = keys.isIn();
      beside.then(() -> shelves.forEach(shelf -> shelf.lookAt(part, isIn)));
    }
  }

  private Findings findings(RecordingFile.Summary summary) {
    judged.until(Long.MAX_VALUE);
    beside.await();
    Map<Integer, List<KeyState>> byStatement = new HashMap<>();
    keys.all()
        .forEach(
            key -> byStatement.computeIfAbsent(key.statement, n -> new ArrayList<>()).add(key));
    List<Repeats> repeats = new ArrayList<>();
    List<KeyAdvice> advice = new ArrayList<>();
    statements.forEach(
        (number, statement) -> {
          List<KeyState> its = byStatement.getOrDefault(number, List.of());
          Repeats found = statement.repeats(its, rate);
          repeats.add(found);
          advice.addAll(statement.advice(its, found.wouldHit(), changes.areTold()));
        });
    repeats.sort(Comparator.comparingDouble(Repeats::savedMicros).reversed());
    return new Findings(
        summary,
        rate,
        repeats,
        advice,
        untilChanged.forecasts(rate, questions, micros),
        lives.forecasts(rate, questions, micros),
        shelves.stream().map(shelf -> shelf.forecast(questions, micros)).toList());
  }
}
