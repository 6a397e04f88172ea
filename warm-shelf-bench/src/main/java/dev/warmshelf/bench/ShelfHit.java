package dev.warmshelf.bench;

import dev.warmshelf.base.SystemTime;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.Ground;
import dev.warmshelf.time.Watermark;
import java.time.Duration;
import java.util.Objects;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import org.openjdk.jmh.annotations.Benchmark;
import org.openjdk.jmh.annotations.BenchmarkMode;
import org.openjdk.jmh.annotations.Fork;
import org.openjdk.jmh.annotations.Measurement;
import org.openjdk.jmh.annotations.Mode;
import org.openjdk.jmh.annotations.OutputTimeUnit;
import org.openjdk.jmh.annotations.Scope;
import org.openjdk.jmh.annotations.Setup;
import org.openjdk.jmh.annotations.State;
import org.openjdk.jmh.annotations.TearDown;
import org.openjdk.jmh.annotations.Warmup;

/**
 * A hit through a {@link AnswerShelf}, beside a plain map with the same keys. The keys asked with
 * are equal to those kept, not identical: as in a program, where each question makes its own.
 * Threads ({@code -t 2}) share the shelf, and nothing of the harness.
 */
@State(Scope.Benchmark)
@BenchmarkMode(Mode.AverageTime)
@OutputTimeUnit(TimeUnit.NANOSECONDS)
@Fork(2)
@Warmup(iterations = 4, time = 1)
@Measurement(iterations = 6, time = 1)
public class ShelfHit {
  private static final int KEYS = 1 << 10;
  private static final Footprint FOUR_TABLES =
      Footprint.of(
          Lane.ofTable("public", "sailing"),
          Lane.ofTable("public", "route"),
          Lane.ofTable("public", "vessel"),
          Lane.ofTable("public", "booking"));

  private final SystemTime time = SystemTime.start();
  private final Board board = new Board();
  private final AnswerShelf shelf =
      new AnswerShelf(
          "bench",
          Policy.standard().tolerating(Duration.ofDays(1)),
          board,
          time,
          Ground.Trust.FEED);
  private final ConcurrentHashMap<Key, Integer> map = new ConcurrentHashMap<>();

  /** One thread's questions. */
  @State(Scope.Thread)
  public static class Asking {
    private final Key[] asked = new Key[KEYS];
    private int next;

    @Setup
    public void make() {
      for (int i = 0; i < KEYS; i++) {
        asked[i] = key(i);
      }
    }

    Key next() {
      return asked[next++ & (KEYS - 1)];
    }
  }

  @Setup
  public void fill() {
    board.advance(Watermark.now(time));
    for (int i = 0; i < KEYS; i++) {
      int answer = i;
      map.put(key(i), i);
      shelf.<Integer, RuntimeException>read(key(i), FOUR_TABLES, () -> answer);
    }
  }

  @TearDown
  public void stop() {
    time.close();
  }

  @Benchmark
  public int mapGet(Asking asking) {
    return Objects.requireNonNull(map.get(asking.next()));
  }

  @Benchmark
  public Reading<Integer> shelfHit(Asking asking) {
    return shelf.<Integer, RuntimeException>read(
        asking.next(),
        FOUR_TABLES,
        () -> {
          throw new IllegalStateException("a hit loads nothing");
        });
  }

  private static Key key(int i) {
    return Key.of(
        KeyShape.of("bench", "select * from sailing where route_id = $1 and day = $2"),
        new String[] {"route", "day"},
        new Object[] {i, "2026-05-01"});
  }
}
