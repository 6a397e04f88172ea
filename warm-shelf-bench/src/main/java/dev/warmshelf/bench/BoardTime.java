package dev.warmshelf.bench;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.fresh.HeldLanes;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Fill;
import dev.warmshelf.store.Fill.Life;
import dev.warmshelf.store.Fill.Renewable;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.TimeUnit;
import org.openjdk.jmh.annotations.Benchmark;
import org.openjdk.jmh.annotations.BenchmarkMode;
import org.openjdk.jmh.annotations.Fork;
import org.openjdk.jmh.annotations.Measurement;
import org.openjdk.jmh.annotations.Mode;
import org.openjdk.jmh.annotations.OperationsPerInvocation;
import org.openjdk.jmh.annotations.OutputTimeUnit;
import org.openjdk.jmh.annotations.Scope;
import org.openjdk.jmh.annotations.State;
import org.openjdk.jmh.annotations.Warmup;

/** What a tick costs a lane, and what it costs to see whether an entry is fresh. */
@State(Scope.Benchmark)
@BenchmarkMode(Mode.AverageTime)
@OutputTimeUnit(TimeUnit.NANOSECONDS)
@Warmup(iterations = 5, time = 1)
@Measurement(iterations = 8, time = 1)
@Fork(2)
public class BoardTime {
  private static final int LANES = 100;
  private static final Lane BOOKING = Lane.ofTable("public", "booking");

  private final Board board = new Board();
  private final List<Lane> changed = lanes(LANES);
  private final Footprint four = Footprint.of(lanes(4));
  private final Footprint many = Footprint.of(lanes(500));
  private final HeldLanes heldFour = board.hold(four);
  private final HeldLanes heldMany = board.hold(many);
  private final long fence = board.lastTick();
  private final Entry entry =
      new Entry(
          Key.named("bench", "board"),
          "board",
          many,
          new Fill(new Fence(fence, 0), 0, 0, Life.WITHOUT_END, Renewable.NOT));

  private static List<Lane> lanes(int count) {
    List<Lane> lanes = new ArrayList<>();
    for (int i = 0; i < count; i++) {
      lanes.add(BOOKING.group("sailing_id=" + i));
    }
    return lanes;
  }

  /** One lane's share of a tick of 100. */
  @Benchmark
  @OperationsPerInvocation(LANES)
  public long tickOfALane() {
    return board.tick(changed);
  }

  /** Four lanes, all fresh. */
  @Benchmark
  public boolean checkOfFourLanes() {
    return board.isFresh(heldFour, fence, fence, 0);
  }

  /** 500 lanes, such as a busy board's, all fresh. */
  @Benchmark
  public boolean checkOf500Lanes() {
    return board.isFresh(heldMany, fence, fence, 0);
  }

  /** An entry of 500 lanes, while nothing is ticked. */
  @Benchmark
  public boolean checkOfAnEntryOf500Lanes() {
    return entry.isFresh(board);
  }

  /** What a load takes first. */
  @Benchmark
  public long fence() {
    return fence + board.lastTick();
  }
}
