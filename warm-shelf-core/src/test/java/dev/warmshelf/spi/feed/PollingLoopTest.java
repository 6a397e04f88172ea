package dev.warmshelf.spi.feed;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.delivery.Delivery;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.FeedMeters.State;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.time.Watermark;
import dev.warmshelf.trial.MovableTime;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
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
  private final Delivery delivery = new Delivery(board, new MovableTime(), meters, cleared -> {});
  private final ScriptedPoll poll = new ScriptedPoll();
  private final List<Long> pauses = new CopyOnWriteArrayList<>();
  private final PollingLoop feed =
      new PollingLoop(
          "feed",
          poll,
          delivery::deliver,
          delivery,
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
      return step == null ? Batch.unfinished(List.of()) : step.take();
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
        script.add(() -> Batch.unfinished(List.of()));
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
    assertThat(meters.snapshot().trouble().orElseThrow()).contains("the line is cut");
    assertThat(meters.snapshot().losses()).isEqualTo(1);
    poll.script.add(() -> batch(5));
    until(() -> board.watermark() != null);
    until(() -> meters.snapshot().state() == State.LIVE);
    assertThat(meters.snapshot().trouble()).isEmpty();
  }

  @Test
  void aLookThatIsNotCompleteYetIsFollowedSoonHoweverSeldomLooksAreTaken() {
    feed.start();
    ScriptedPoll seldom = new ScriptedPoll();
    seldom.script.add(() -> Batch.unfinished(List.of()));
    seldom.script.add(() -> batch(5));
    try (PollingLoop slow =
        new PollingLoop(
            "slow",
            seldom,
            delivery::deliver,
            delivery,
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
    Batch undeliverable = Batch.upTo(new Watermark(7), List.of(change(null)));
    feed.start();
    poll.script.add(() -> Batch.upTo(new Watermark(7), List.of(change("7"), broken())));
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
    poll.script.add(() -> Batch.unfinished(List.of(change("7"))));
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
    return Batch.upTo(new Watermark(nanos), List.of());
  }

  private static Change change(String transaction) {
    return new Change(
        transaction == null ? "8" : transaction,
        BOOKING,
        Optional.empty(),
        Optional.empty(),
        "UPDATE",
        Duration.ZERO);
  }

  /** A change that cannot be ticked: its lane is no table's. */
  private static Change broken() {
    return new Change(
        "9", Lane.ofTag("none"), Optional.empty(), Optional.empty(), "UPDATE", Duration.ZERO);
  }

  private static void until(java.util.function.BooleanSupplier condition) {
    long deadline = System.nanoTime() + TimeUnit.SECONDS.toNanos(20);
    while (!condition.getAsBoolean()) {
      assertThat(System.nanoTime()).isLessThan(deadline);
      LockSupport.parkNanos(100_000);
    }
  }
}
