package dev.warmshelf.study;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.ChangedRow;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.record.MadeRecording;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.AskedQuestion;
import dev.warmshelf.shelf.read.Ground;
import dev.warmshelf.store.Content;
import dev.warmshelf.trial.MovableTime;
import dev.warmshelf.trial.Zipf;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class StudyTest {
  private static final long MIB = 1 << 20;

  @TempDir private Path directory;

  private record Told(int rows, long bytes, long fingerprint) implements Content {}

  /** A statement of three parameters, and what its answer depends on. */
  private static final class Planted {
    private final String name;
    private final Lane table;
    private final String sql;
    private final Footprint footprint;
    private final KeyShape shape;
    private long version;

    Planted(String name, int number) {
      this.name = name;
      this.table = Lane.ofTable("public", "t" + number);
      this.sql = "SELECT " + name + number + " WHERE a = :a AND b = :b AND token = :token";
      this.footprint = Footprint.of(table);
      this.shape = KeyShape.of("", sql);
    }

    void ask(MadeRecording recording, long at, SplittableRandom random) throws Exception {
      List<String> parameters = List.of("a", "b", "token");
      long a = random.nextInt(12);
      long b = random.nextInt(3);
      long token = random.nextInt(name.equals("mixed") ? 2 : 400);
      long role = random.nextInt(2);
      long answer =
          switch (name) {
            case "split" -> a * 31 + b; // whoever asks
            case "mixed" -> (a * 31 + b) * 31 + token * 7 + role; // the role is not in the key
            default -> (a * 31 + b) * 31 + (token < 200 ? 1 : 2); // half of all tokens see more
          };
      Object[] values = {a, b, token};
      long fingerprint = Sample.spread(Sample.spread(answer + 1) + version);
      recording.read(
          at,
          Key.of(shape, parameters.toArray(new String[0]), values),
          new AskedQuestion(sql, parameters, List.of(values)),
          2_000,
          MadeRecording.answer(5, 400, fingerprint),
          footprint);
    }

    void change(MadeRecording recording, long at) throws Exception {
      version++;
      recording.changed(at, table);
    }
  }

  @Test
  void splitKeysAndMixedAnswersAreFoundAndNobodyElseIsAccused() throws Exception {
    Path file = directory.resolve("planted.jsonl.gz");
    List<Planted> all = new ArrayList<>();
    for (int i = 0; i < 10; i++) {
      all.add(new Planted("split", i));
      all.add(new Planted("mixed", 10 + i));
      all.add(new Planted("innocent", 20 + i));
    }
    SplittableRandom random = new SplittableRandom(7);
    try (MadeRecording recording = new MadeRecording(file)) {
      for (long at = 0; at < 30_000; at++) {
        Planted one = all.get(random.nextInt(all.size()));
        if (random.nextInt(100) == 0) {
          one.change(recording, at * 10_000);
        }
        one.ask(recording, at * 10_000 + 5_000, random);
      }
    }
    Findings findings = Study.of(file, Study.Plan.usual());
    assertThat(findings.summary().lost()).isZero();
    assertThat(findings.repeats()).hasSize(30);
    Map<String, List<KeyAdvice>> byKind =
        findings.advice().stream()
            .collect(Collectors.groupingBy(each -> each.statement().text().substring(7, 12)));
    assertThat(byKind.keySet()).containsExactlyInAnyOrder("split", "mixed");
    assertThat(byKind.get("split"))
        .hasSize(10)
        .allSatisfy(
            each -> {
              KeyAdvice.Splits splits = (KeyAdvice.Splits) each;
              assertThat(splits.parameter()).isEqualTo("token");
              assertThat(splits.wouldHit().ratio()).isGreaterThan(splits.hits().ratio() + 0.2);
              assertThat(splits.remedy()).contains("folding(\"token\", any -> one)");
            });
    assertThat(byKind.get("mixed"))
        .hasSize(10)
        .allSatisfy(
            each -> {
              KeyAdvice.Mixes mixes = (KeyAdvice.Mixes) each;
              assertThat(mixes.returned()).isGreaterThan(5);
              assertThat(mixes.examples()).isNotEmpty();
              assertThat(mixes.examples().get(0).answers()).hasSizeGreaterThan(1);
            });
  }

  /**
   * One question, eight times: a change of its table, one that changes its answer, and another's.
   */
  private Findings withChanges(boolean told) throws Exception {
    Path file = directory.resolve("changes" + told + ".jsonl.gz");
    Lane port = Lane.ofTable("public", "port");
    KeyShape shape = KeyShape.of("", "SELECT 1");
    try (MadeRecording recording = new MadeRecording(file)) {
      for (int i = 0; i < 8; i++) {
        long at = i * 1_000_000L;
        if (told && (i == 3 || i == 5)) {
          recording.changed(at - 500_000, port);
        } else if (told && i == 6) {
          recording.changed(at - 500_000, Lane.ofTable("public", "agent"));
        }
        recording.read(
            at,
            Key.of(shape, new String[0], new Object[0]),
            new AskedQuestion("SELECT 1", List.of(), List.of()),
            i == 0 ? 3_000 : 1_000,
            MadeRecording.answer(1, 100, i < 5 ? 7 : 8),
            Footprint.of(port));
      }
    }
    return Study.of(file, Study.Plan.usual());
  }

  @Test
  void whatPutsAnAnswerOutIsToldApart() throws Exception {
    Share five = new Share(5 / 8.0, 0);
    Share six = new Share(6 / 8.0, 0);
    assertThat(withChanges(true).changes())
        .containsExactly(
            new ChangeForecast(ChangeForecast.Ends.TABLE_CHANGED, five, new Share(0.5, 0)),
            new ChangeForecast(ChangeForecast.Ends.ANSWER_CHANGED, six, new Share(0.6, 0)));
    assertThat(withChanges(false).changes())
        .as("nobody knows when tables change")
        .extracting(ChangeForecast::ends)
        .containsExactly(ChangeForecast.Ends.ANSWER_CHANGED);
  }

  private static Change ofIsland(String island) {
    ChangedRow row = new ChangedRow(List.of("island"), island);
    return new Change(
        "1",
        Lane.ofTable("public", "port"),
        Optional.of(List.of(row)),
        Optional.empty(),
        "UPDATE",
        Duration.ZERO);
  }

  /** Another island's row, a row of its own that makes no difference, and one that nobody names. */
  @Test
  void changesOfRowsThatAnAnswerDoesNotStandOnAreToldApart() throws Exception {
    Path file = directory.resolve("rows.jsonl.gz");
    Lane port = Lane.ofTable("public", "port");
    Footprint norra = Footprint.of(port.group("island=Norra"), port.atLarge());
    KeyShape shape = KeyShape.of("", "SELECT 1 WHERE island = :island");
    try (MadeRecording recording = new MadeRecording(file)) {
      for (int i = 0; i < 9; i++) {
        long at = (i + 1) * 1_000_000L;
        if (i == 3) {
          recording.changed(at - 500_000, ofIsland("Sundra"));
        } else if (i == 5) {
          recording.changed(at - 500_000, ofIsland("Norra"));
        } else if (i == 7) {
          recording.changed(at - 500_000, Change.atLarge(port));
        }
        boolean loaded = i == 0 || i == 5 || i == 7;
        recording.answered(
            at,
            Key.of(shape, new String[] {"island"}, new Object[] {"Norra"}),
            new AskedQuestion(
                "SELECT 1 WHERE island = :island", List.of("island"), List.of("Norra")),
            loaded ? Origin.LOADED : Origin.KEPT,
            1_000,
            MadeRecording.answer(1, 100, 7),
            norra);
      }
    }
    assertThat(Study.of(file, Study.Plan.usual()).changes())
        .extracting(each -> each.ends() + " " + Math.round(9 * each.hits().ratio()))
        .containsExactly("TABLE_CHANGED 5", "ROWS_CHANGED 6", "ANSWER_CHANGED 8");
  }

  /** Questions by Zipf's law, of skewed size and load time, of which some change. */
  private static final class Stream {
    private static final int QUESTIONS = 2_000;
    private final Zipf ranks = new Zipf(QUESTIONS, 0.9);
    private final SplittableRandom random = new SplittableRandom(3);
    private final Map<Integer, Long> versions = new HashMap<>();
    private final KeyShape shape = KeyShape.of("", "SELECT 1 WHERE id = :id");

    int next() {
      int changed = random.nextInt(20 * QUESTIONS);
      if (changed < QUESTIONS) {
        versions.merge(changed, 1L, Long::sum);
      }
      return ranks.draw(random);
    }

    Key key(int id) {
      return Key.of(shape, new String[] {"id"}, new Object[] {id});
    }

    Told answer(int id) {
      long size = 300 + Math.floorMod(Sample.spread(id), 6_000L);
      return new Told(1, size, Sample.spread(id * 1_000L + versions.getOrDefault(id, 0L)));
    }

    long loadNanos(int id) {
      return 200_000 + Math.floorMod(Sample.spread(id + 1L), 9_000_000L);
    }
  }

  /** What a shelf of this room gives: hits of all, and time saved of all. */
  private static double[] measured(long bytes, Leaving leaving, int questions) throws Exception {
    Stream stream = new Stream();
    MovableTime time = new MovableTime();
    Policy policy =
        Policy.standard().ttl(Duration.ofDays(100)).holding(Capacity.bytes(bytes).leaving(leaving));
    double hits = 0;
    double saved = 0;
    double all = 0;
    try (AnswerShelf shelf =
        new AnswerShelf("s", policy, new Board(), time, Ground.Trust.TTL_ALONE)) {
      Map<Integer, Told> truth = new HashMap<>();
      for (int i = 0; i < questions; i++) {
        int id = stream.next();
        Told now = stream.answer(id);
        if (!now.equals(truth.put(id, now))) {
          shelf.clear(stream.key(id));
        }
        long load = stream.loadNanos(id);
        Reading<Object> kept = shelf.get(stream.key(id));
        all += load;
        if (kept == null) {
          Fence fence = shelf.fence();
          time.pass(Duration.ofNanos(load));
          shelf.put(stream.key(id), now, Footprint.NOTHING, fence);
        } else {
          hits++;
          saved += load;
        }
        time.pass(Duration.ofMillis(10));
      }
    }
    return new double[] {hits / questions, saved / all};
  }

  private Path recorded(int questions) throws Exception {
    Path file = directory.resolve("stream" + questions + ".jsonl.gz");
    Stream stream = new Stream();
    try (MadeRecording recording = new MadeRecording(file)) {
      for (int i = 0; i < questions; i++) {
        int id = stream.next();
        Told answer = stream.answer(id);
        recording.read(
            i * 10_000L,
            stream.key(id),
            new AskedQuestion("SELECT 1 WHERE id = :id", List.of("id"), List.of(id)),
            stream.loadNanos(id) / 1_000,
            MadeRecording.answer(1, answer.bytes(), answer.fingerprint()),
            null);
      }
    }
    return file;
  }

  @Tag("thorough")
  @Test
  void theForecastIsWhatAShelfGives() throws Exception {
    int questions = 20_000;
    List<Long> rooms = List.of(MIB / 8, MIB / 2, MIB, 2 * MIB, 8 * MIB);
    Path file = recorded(questions);
    Study.Plan plan = Study.Plan.usual().withMemory(rooms);
    for (Study.Plan each : List.of(plan, plan.lookingAt(600))) {
      Findings findings = Study.of(file, each);
      assertThat(findings.lookedAt()).isEqualTo(each.mostKeys() == plan.mostKeys() ? 1 : 0.25);
      for (MemoryForecast forecast : findings.memory()) {
        double[] measured = measured(forecast.bytes(), forecast.leaving(), questions);
        System.out.printf(
            "%s %,d KiB: hits %.3f ± %.3f, measured %.3f; saved %.3f ± %.3f, measured %.3f%n",
            forecast.leaving(),
            forecast.bytes() >> 10,
            forecast.hits().ratio(),
            forecast.hits().error(),
            measured[0],
            forecast.saved().ratio(),
            forecast.saved().error(),
            measured[1]);
        assertThat(forecast.hits().ratio()).isCloseTo(measured[0], within(0.03));
        assertThat(forecast.saved().ratio()).isCloseTo(measured[1], within(0.1 * measured[1]));
      }
    }
  }
}
