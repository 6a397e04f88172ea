package dev.warmshelf.shelf.read;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.base.SystemTime;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Finding;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Audit;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Loader;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.time.Watermark;
import dev.warmshelf.trial.MovableTime;
import dev.warmshelf.trial.Wilson;
import java.time.Duration;
import java.util.ArrayList;
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
  private volatile boolean decided = true;
  private volatile boolean isShort;
  private final AnswerShelf shelf =
      new AnswerShelf(
          "test",
          Policy.standard().tolerating(Duration.ofDays(1)).auditing(Audit.of(1, 10_000)),
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

  /** It lives minutes, not for ever. */
  @Test
  void whatIsFoundWrongIsKeptNoMoreUntilSomebodyClearsIt() {
    read();
    database.set(2);
    beforeTheDirectRead = () -> board.advance(new Watermark(time.nanos() + 1_000_000_000L));
    read();
    await(Finding.NEVER);
    assertThat(shelf.accused()).containsExactly(KEY.form().formDigest());
    for (int i = 0; i < 3; i++) {
      Reading<Integer> reading = read();
      assertThat(reading.origin()).isEqualTo(Origin.DIRECT);
      assertThat(reading.bypass()).contains(BypassReason.FOUND_WRONG.label());
      assertThat(reading.value()).isEqualTo(2);
    }
    assertThat(shelf.size()).isZero();
    shelf.clearForm(KEY.form().formDigest());
    assertThat(shelf.accused()).isEmpty();
    assertThat(read().origin()).isEqualTo(Origin.LOADED);
  }

  /** Another answer each time is no proof, where the question lets it be another. */
  @Test
  void ofWhatHasSeveralRightAnswersNothingIsFound() {
    decided = false;
    read();
    database.set(2);
    beforeTheDirectRead = () -> board.advance(new Watermark(time.nanos() + 1_000_000_000L));
    read();
    await(Finding.UNDECIDED);
    assertThat(shelf.accused()).isEmpty();
    assertThat(read().value()).isEqualTo(1);
  }

  @Test
  void overAPoolThatIsShortOfConnectionsNothingIsAudited() {
    isShort = true;
    read();
    read();
    await(Finding.SKIPPED);
  }

  /** A thousandth of what loads have taken, one a second, and what was not loaded whole first. */
  @Test
  void byDefaultAuditsKeepWithinABudget() {
    MovableTime clock = new MovableTime();
    Upkeep upkeep = Upkeep.by(Runnable::run);
    Board told = new Board();
    Ground ground =
        new Ground(told, clock, Ground.Trust.FEED, Ground.room(Capacity.shared(), clock), upkeep);
    AnswerShelf standard =
        new AnswerShelf("standard", Policy.standard().tolerating(Duration.ofDays(1)), ground);
    told.advance(Watermark.now(clock));
    List<String> asked = new ArrayList<>();
    for (int i = 0; i < 100; i++) {
      Key key = Key.named("test", "of " + i);
      ask(standard, key, clock, asked);
      ask(standard, key, clock, asked);
      clock.pass(Duration.ofSeconds(1));
      upkeep.round();
    }
    assertThat(asked).as("100 loads of 100 ms allow 10 ms").isEmpty();
    for (int i = 0; i < 2_900; i++) {
      ask(standard, Key.named("test", "more " + i), clock, asked);
    }
    clock.pass(Duration.ofSeconds(1));
    upkeep.round();
    for (int i = 0; i < 10; i++) {
      Key key = Key.named("test", "one of many " + i);
      ask(standard, key, clock, asked);
      ask(standard, key, clock, asked);
      clock.pass(Duration.ofSeconds(1));
      upkeep.round();
    }
    assertThat(asked).as("3,000 loads allow three, less what the last have taken").hasSize(3);
    assertThat(standard.meters().snapshot().get(Finding.AGREED)).isEqualTo(3);
  }

  private static void ask(AnswerShelf of, Key key, MovableTime clock, List<String> asked) {
    Loader<Integer, RuntimeException> load =
        () -> {
          clock.pass(Duration.ofMillis(100));
          return 1;
        };
    ReadRequest<Integer, RuntimeException> aside =
        ReadRequest.of(
            Footprint.of(NOTICE),
            () -> {
              asked.add(key.toString());
              return load.load();
            });
    read(of, key, load, aside);
  }

  /** Reads, and has the auditor read by the second request. */
  private static Reading<Integer> read(
      AnswerShelf of,
      Key key,
      Loader<Integer, RuntimeException> load,
      ReadRequest<Integer, RuntimeException> aside) {
    return of.<Integer, Integer, RuntimeException>read(
        key,
        new ReadRequest<>() {
          @Override
          public Footprint lanes() {
            return Footprint.of(NOTICE);
          }

          @Override
          public Integer load() {
            return load.load();
          }

          @Override
          public ReadRequest<Integer, RuntimeException> elsewhere() {
            return aside;
          }
        },
        value -> value);
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
    assertThatThrownBy(() -> Audit.of(1.5, 5)).hasMessageContaining("1.5");
    assertThatThrownBy(() -> Audit.of(0.5, 0)).hasMessageContaining("0");
    assertThat(Audit.oneIn(1_000).share()).isEqualTo(0.001);
  }

  private Reading<Integer> read() {
    return read(shelf, KEY, database::get, new Aside());
  }

  /** The same question for the auditor. */
  private final class Aside implements ReadRequest<Integer, RuntimeException> {
    @Override
    public Footprint lanes() {
      return Footprint.of(NOTICE);
    }

    @Override
    public Integer load() {
      beforeTheDirectRead.run();
      return database.get();
    }

    @Override
    public boolean isDecided() {
      return decided;
    }

    @Override
    public boolean mayAskAside() {
      return !isShort;
    }
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
