package dev.warmshelf.spi.feed;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Footprint;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.FeedMeters.State;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

@Timeout(value = 60, threadMode = Timeout.ThreadMode.SEPARATE_THREAD)
class PollingLoopTest {
  private static final Lane BOOKING = Lane.ofTable("public", "booking");

  private final Board board = new Board();
  private final FeedMeters meters = new FeedMeters();
  private final ScriptedPoll poll = new ScriptedPoll();
  private final List<Long> pauses = new CopyOnWriteArrayList<>();
  private final PollingLoop feed =
      new PollingLoop(
          "feed",
          poll,
          new Delivery(board, meters)::deliver,
          board,
          meters,
          Duration.ofMillis(1),
          (closed, nanos) -> pauses.add(nanos));

  /** Does what the test says, look by look; without a word it waits for one. */
  private static final class ScriptedPoll implements Poll {
    private final BlockingQueue<Step> script = new LinkedBlockingQueue<>();
    private final List<String> calls = new CopyOnWriteArrayList<>();
    private final List<Long> waits = new CopyOnWriteArrayList<>();

    private interface Step {
      Batch take() throws Exception;
    }

    @Override
    public Batch look() throws Exception {
      calls.add("look");
      Step step = script.poll(20, TimeUnit.SECONDS);
      return step == null ? new Batch(null, List.of(), null) : step.take();
    }

    @Override
    public boolean covers(Lane table) {
      return true;
    }

    @Override
    public Map<String, ColumnKind> trackedColumns(Lane table) {
      return Map.of();
    }

    @Override
    public void taken() {
      calls.add("taken");
    }

    @Override
    public boolean covers(String whole, String part) {
      return Integer.parseInt(whole) >= Integer.parseInt(part);
    }

    @Override
    public FeedPlace place() {
      return new FeedPlace("scripted", Integer.toString(calls.size()));
    }

    @Override
    public boolean beside() {
      return false;
    }

    @Override
    public void await(long nanos) {
      waits.add(nanos);
    }

    @Override
    public void interrupt() {
      calls.add("interrupt");
      if (script.isEmpty()) {
        script.add(() -> new Batch(null, List.of(), null));
      }
    }

    @Override
    public void giveUp() {
      calls.add("give up");
    }

    @Override
    public void close() {
      calls.add("close");
    }
  }

  @AfterEach
  void close() {
    feed.close();
    assertThat(poll.calls).endsWith("close");
    assertThat(meters.snapshot().state()).isEqualTo(State.CLOSED);
  }

  @Test
  void anErrorEndsNothing() {
    feed.start();
    for (Throwable each :
        List.of(
            new OutOfMemoryError("a test's"),
            new StackOverflowError(),
            new IllegalStateException("odd"),
            new java.io.IOException("the line is cut"))) {
      poll.script.add(
          () -> {
            if (each instanceof Error error) {
              throw error;
            }
            throw (Exception) each;
          });
    }
    until(() -> pauses.size() == 4);
    assertThat(meters.snapshot().state()).isEqualTo(State.LOST);
    assertThat(meters.snapshot().trouble()).contains("the line is cut");
    assertThat(meters.snapshot().losses()).isEqualTo(1);
    poll.script.add(() -> batch(5));
    until(() -> board.watermark() != null);
    until(() -> meters.snapshot().state() == State.LIVE);
    assertThat(meters.snapshot().trouble()).isNull();
  }

  @Test
  void aLookThatIsNotCompleteYetIsFollowedSoonHoweverSeldomLooksAreTaken() {
    feed.start();
    ScriptedPoll seldom = new ScriptedPoll();
    seldom.script.add(() -> new Batch(null, List.of(), null));
    seldom.script.add(() -> batch(5));
    try (PollingLoop slow =
        new PollingLoop(
            "slow",
            seldom,
            new Delivery(board, meters)::deliver,
            board,
            meters,
            Duration.ofMinutes(10),
            (closed, nanos) -> pauses.add(nanos))) {
      slow.start();
      until(() -> seldom.waits.size() >= 2);
      assertThat(seldom.waits.get(0)).isLessThan(Duration.ofSeconds(1).toNanos());
      assertThat(seldom.waits.get(1)).isGreaterThanOrEqualTo(Duration.ofMinutes(10).toNanos());
    }
  }

  @Test
  void pausesGrowFromFailureToFailureAndNobodysHurryShortensThem() {
    for (int i = 0; i < 8; i++) {
      boolean last = i == 7;
      poll.script.add(
          () -> {
            if (last) {
              poll.script.add(() -> batch(5));
            }
            feed.hurry();
            throw new java.io.IOException("the server is away");
          });
    }
    feed.start(); // with the script complete: a look beyond its end would succeed
    until(() -> pauses.size() == 8);
    assertThat(pauses.stream().map(TimeUnit.NANOSECONDS::toMillis))
        .containsExactly(200L, 400L, 800L, 1_600L, 3_200L, 5_000L, 5_000L, 5_000L);
    poll.script.add(
        () -> {
          throw new java.io.IOException("again");
        });
    until(() -> pauses.size() == 9);
    assertThat(pauses.get(8)).isEqualTo(TimeUnit.MILLISECONDS.toNanos(200));
  }

  @Test
  void aPlaceIsTakenOnlyWhenItsBatchHasBeenDelivered() {
    long fence = board.lastTick();
    Batch undeliverable = new Batch(new Watermark(7), List.of(change(null)), null);
    feed.start();
    poll.script.add(() -> new Batch(new Watermark(7), List.of(change("7"), broken()), null));
    until(() -> pauses.size() == 1);
    assertThat(poll.calls).doesNotContain("taken");
    assertThat(board.watermark()).isNull();
    poll.script.add(() -> undeliverable);
    until(() -> board.watermark() != null);
    assertThat(board.isFresh(Footprint.of(BOOKING), fence)).isFalse();
    until(() -> poll.calls.contains("taken"));
  }

  @Test
  void aBatchWithoutAMarkTicksAndClaimsNothing() {
    long fence = board.lastTick();
    feed.start();
    poll.script.add(() -> new Batch(null, List.of(change("7")), null));
    until(() -> !board.isFresh(Footprint.of(BOOKING), fence));
    until(() -> meters.snapshot().state() == State.LOST);
    assertThat(board.watermark()).isNull();
  }

  @Test
  void anInterruptEndsNothing() {
    feed.start();
    poll.script.add(
        () -> {
          Thread.currentThread().interrupt();
          throw new InterruptedException("by somebody");
        });
    poll.script.add(() -> batch(9));
    until(() -> board.watermark() != null);
  }

  private static Batch batch(long nanos) {
    return new Batch(new Watermark(nanos), List.of(), null);
  }

  private static Change change(String transaction) {
    return new Change(
        transaction == null ? "8" : transaction, BOOKING, null, null, "UPDATE", Duration.ZERO);
  }

  /** A change that cannot be ticked: its lane is no table's. */
  private static Change broken() {
    return new Change("9", Lane.ofTag("none"), null, null, "UPDATE", Duration.ZERO);
  }

  private static void until(java.util.function.BooleanSupplier condition) {
    long deadline = System.nanoTime() + TimeUnit.SECONDS.toNanos(20);
    while (!condition.getAsBoolean()) {
      assertThat(System.nanoTime()).isLessThan(deadline);
      LockSupport.parkNanos(100_000);
    }
  }
}
