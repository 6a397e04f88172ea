package dev.warmshelf.bench;

import dev.warmshelf.base.SystemTime;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.record.ShelfRecording;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.AskedQuestion;
import dev.warmshelf.shelf.read.Ground;
import dev.warmshelf.shelf.read.ReadRequest;
import dev.warmshelf.store.Content;
import dev.warmshelf.time.Watermark;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import java.util.concurrent.TimeUnit;
import org.openjdk.jmh.annotations.Benchmark;
import org.openjdk.jmh.annotations.BenchmarkMode;
import org.openjdk.jmh.annotations.Fork;
import org.openjdk.jmh.annotations.Level;
import org.openjdk.jmh.annotations.Measurement;
import org.openjdk.jmh.annotations.Mode;
import org.openjdk.jmh.annotations.OperationsPerInvocation;
import org.openjdk.jmh.annotations.OutputTimeUnit;
import org.openjdk.jmh.annotations.Scope;
import org.openjdk.jmh.annotations.Setup;
import org.openjdk.jmh.annotations.State;
import org.openjdk.jmh.annotations.TearDown;
import org.openjdk.jmh.annotations.Warmup;
import org.openjdk.jmh.infra.Blackhole;

/**
 * What watching costs a hit: the meters, and a recording. Hits come in batches that fit into the
 * recording's queue, which is empty when a batch begins: so every hit is recorded, and none is
 * quick because it was left out.
 */
@State(Scope.Benchmark)
@BenchmarkMode(Mode.SingleShotTime)
@OutputTimeUnit(TimeUnit.NANOSECONDS)
@Fork(2)
@Warmup(iterations = 400)
@Measurement(iterations = 400)
public class WatchedHit {
  private static final int BATCH = 8_192;
  private static final int KEYS = 1 << 10;
  private static final String SQL = "SELECT * FROM sailing WHERE route_id = :route AND day = :day";
  private static final List<String> NAMES = List.of("route", "day");
  private static final Footprint FOUR_TABLES =
      Footprint.of(
          Lane.ofTable("public", "sailing"),
          Lane.ofTable("public", "route"),
          Lane.ofTable("public", "vessel"),
          Lane.ofTable("public", "booking"));

  private final SystemTime time = SystemTime.start();
  private final Board board = new Board();
  private final AnswerShelf plain = shelf();
  private final AnswerShelf recorded = shelf();
  private final Meters meters = new Meters();
  private final Asking[] askings = new Asking[KEYS];

  @SuppressWarnings("NullAway.Init") // set up below
  private Path file;

  @SuppressWarnings("NullAway.Init") // set up below
  private ShelfRecording recording;

  /** What an answer tells of itself once it has been asked. */
  private record Rows(int rows, long bytes, long fingerprint) implements Content {}

  /** A question as the query API asks it. */
  private static final class Asking implements ReadRequest<Rows, RuntimeException> {
    private final Key key;
    private final Object[] values;

    Asking(int i) {
      this.values = new Object[] {i, "2026-05-01"};
      this.key =
          Key.of(
              KeyShape.of("bench", "select * from sailing where route_id = $1 and day = $2"),
              NAMES.toArray(new String[0]),
              values);
    }

    @Override
    public Footprint lanes() {
      return FOUR_TABLES;
    }

    @Override
    public Rows load() {
      return new Rows(1, 100, values.length);
    }

    @Override
    public AskedQuestion words() {
      return new AskedQuestion(SQL, NAMES, Arrays.asList(values.clone()));
    }
  }

  @Setup
  public void fill() throws IOException {
    board.advance(Watermark.now(time));
    file = Files.createTempFile("recording", ".jsonl.gz");
    recording = ShelfRecording.to(file).atMost(Long.MAX_VALUE).open();
    for (int i = 0; i < KEYS; i++) {
      askings[i] = new Asking(i);
      ask(plain, new Asking(i));
      ask(recorded, new Asking(i));
    }
    recorded.recordTo(recording);
  }

  @Setup(Level.Invocation)
  public void waitForTheWriter() {
    while (recording.waiting() > 0) {
      Thread.onSpinWait();
    }
  }

  @TearDown
  public void stop() throws IOException {
    recording.close();
    Files.delete(file);
    time.close();
    if (recording.lost() > 0) {
      throw new IllegalStateException(recording.lost() + " hits were left out, so not measured");
    }
  }

  @Benchmark
  @OperationsPerInvocation(BATCH)
  public void hit(Blackhole sink) {
    for (int i = 0; i < BATCH; i++) {
      sink.consume(ask(plain, askings[i & (KEYS - 1)]));
    }
  }

  @Benchmark
  @OperationsPerInvocation(BATCH)
  public void hitRecorded(Blackhole sink) {
    for (int i = 0; i < BATCH; i++) {
      sink.consume(ask(recorded, askings[i & (KEYS - 1)]));
    }
  }

  /** All that a hit does for its meters, and nothing else. */
  @Benchmark
  @OperationsPerInvocation(BATCH)
  public void metersOfAHit(Blackhole sink) {
    for (int i = 0; i < BATCH; i++) {
      long began = meters.timesThisHit() ? time.nanos() : 0;
      meters.hit(i);
      if (began != 0) {
        meters.hitTook(time.nanos() - began);
      }
    }
    sink.consume(meters);
  }

  private static Object ask(AnswerShelf shelf, Asking asking) {
    return shelf.<Rows, Rows, RuntimeException>read(asking.key, asking, value -> value);
  }

  private AnswerShelf shelf() {
    return new AnswerShelf(
        "bench", Policy.standard().tolerating(Duration.ofDays(1)), board, time, Ground.Trust.FEED);
  }
}
