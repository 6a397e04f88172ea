package dev.warmshelf.shelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.SystemTime;
import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Footprint;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Finding;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.trial.Wilson;
import java.time.Duration;
import java.util.List;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.locks.LockSupport;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

@Timeout(value = 60, threadMode = Timeout.ThreadMode.SEPARATE_THREAD)
class AuditorTest {
  private static final Lane NOTICE = Lane.ofTable("public", "notice");
  private static final Key KEY = Key.named("test", "key");

  private final SystemTime time = SystemTime.start();
  private final Board board = new Board();
  private final AtomicInteger database = new AtomicInteger(1);
  private volatile Runnable beforeTheDirectRead = () -> {};
  private final Shelf shelf =
      new Shelf(
          "test",
          Policy.standard().tolerating(Duration.ofDays(1)).auditing(new Audit(1, 10_000)),
          board,
          time,
          Ground.Trust.FEED);

  AuditorTest() {
    board.advance(Watermark.now(time));
  }

  @AfterEach
  void stop() {
    shelf.close();
    time.close();
  }

  @Test
  void anAnswerThatIsRightIsFoundRight() {
    read();
    read();
    await(Finding.AGREED);
    assertThat(shareOfNever(meters()).ratio()).isZero();
  }

  @Test
  void aChangeThatTheFeedHasNotToldOfYetIsLate() {
    read();
    database.set(2);
    beforeTheDirectRead =
        () -> {
          board.tick(List.of(NOTICE)); // the feed is just about to tell
          board.advance(new Watermark(time.nanos() + 1_000_000_000L));
        };
    read();
    await(Finding.LATE);
    assertThat(meters().get(Finding.NEVER)).isZero();
  }

  @Test
  void aChangeThatNobodyEverTellsOfIsADefect() {
    read();
    database.set(2);
    beforeTheDirectRead = () -> board.advance(new Watermark(time.nanos() + 1_000_000_000L));
    read();
    await(Finding.NEVER);
    assertThat(shareOfNever(meters()).high()).isEqualTo(1);
  }

  @Test
  void aDirectReadThatFailsDecidesNothing() {
    read();
    beforeTheDirectRead =
        () -> {
          throw new IllegalStateException("the server is away");
        };
    read();
    await(Finding.UNDECIDED);
  }

  @Test
  void aReloadThatGivesTheSameShowsThatTheInvalidationWasNeedless() {
    read();
    board.tick(List.of(NOTICE));
    read();
    assertThat(meters().get(Count.NEEDLESS)).isEqualTo(1);
    database.set(2);
    board.tick(List.of(NOTICE));
    read();
    assertThat(meters().get(Count.NEEDLESS)).isEqualTo(1);
    assertThat(meters().get(Count.INVALIDATED)).isEqualTo(2);
  }

  @Test
  void sharesAndRatesThatAreNoneAreNamed() {
    assertThatThrownBy(() -> new Audit(1.5, 5)).hasMessageContaining("1.5");
    assertThatThrownBy(() -> new Audit(0.5, 0)).hasMessageContaining("0");
    assertThat(Audit.oneIn(1_000).share()).isEqualTo(0.001);
  }

  private void read() {
    shelf.<Integer, Integer, RuntimeException>read(
        KEY,
        new ReadRequest<>() {
          @Override
          public Footprint lanes() {
            return Footprint.of(NOTICE);
          }

          @Override
          public Integer load() {
            return database.get();
          }

          @Override
          public ReadRequest<Integer, RuntimeException> elsewhere() {
            return ReadRequest.of(
                lanes(),
                () -> {
                  beforeTheDirectRead.run();
                  return database.get();
                });
          }
        },
        value -> value);
  }

  private Meters.Snapshot meters() {
    return shelf.meters().snapshot();
  }

  private void await(Finding finding) {
    long deadline = System.nanoTime() + TimeUnit.SECONDS.toNanos(30);
    while (meters().get(finding) == 0) {
      assertThat(System.nanoTime()).as("no audit found %s", finding).isLessThan(deadline);
      LockSupport.parkNanos(100_000);
    }
  }

  private static Wilson shareOfNever(Meters.Snapshot meters) {
    return Wilson.of(meters.get(Finding.NEVER), meters.audited());
  }
}
