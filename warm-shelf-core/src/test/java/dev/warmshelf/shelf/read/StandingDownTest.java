package dev.warmshelf.shelf.read;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Count;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.plan.Interest;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.store.Store;
import dev.warmshelf.time.Watermark;
import dev.warmshelf.trial.MovableTime;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.function.Function;
import org.junit.jupiter.api.Test;

/** A shelf whose questions cost more through it than past it. */
class StandingDownTest {
  private static final Lane BOOKING = Lane.ofTable("public", "booking");
  private static final Footprint BOOKINGS = Footprint.of(BOOKING);
  private static final Duration DIRECT = Duration.ofMillis(10);
  private static final Duration LOAD = Duration.ofMillis(13);

  private final MovableTime time = new MovableTime();
  private final Board board = new Board();
  private int asked;

  private AnswerShelf shelf(Policy policy) {
    return new AnswerShelf("main", policy, board, time, Ground.Trust.FEED);
  }

  private static Key key(String form, int number) {
    return Key.named(form, Integer.toString(number));
  }

  /** A question as the engine asks it. */
  private class Asked implements ReadRequest<Integer, RuntimeException> {
    @Override
    public Footprint lanes() {
      return BOOKINGS;
    }

    @Override
    public Integer load() {
      time.pass(LOAD);
      return asked++;
    }

    @Override
    public Integer loadAlone() {
      time.pass(DIRECT);
      return asked++;
    }

    @Override
    public boolean mayStandDown() {
      return true;
    }
  }

  private Reading<Integer> ask(AnswerShelf shelf, Key key) {
    board.advance(Watermark.now(time));
    Balance balance = shelf.balance(key.form());
    BypassReason why = BypassReason.STANDS_DOWN;
    return balance != null && balance.isDown()
        ? shelf.bypass(why, why.label(), key, new Asked(), Function.identity())
        : shelf.read(key, new Asked(), Function.identity());
  }

  private void asksAlwaysAnew(AnswerShelf shelf, String form, int times) {
    for (int i = 0; i < times; i++) {
      ask(shelf, key(form, asked));
    }
  }

  @Test
  void aFormThatIsNeverHitStandsDownAndItsAnswersLeave() {
    AnswerShelf shelf = shelf(Policy.standard());
    asksAlwaysAnew(shelf, "bookings", 2_000);
    KeyShape form = key("bookings", 0).form();
    assertThat(shelf.balance(form).isDown()).isTrue();
    assertThat(shelf.size()).isZero();
    assertThat(shelf.holdsNothing()).isTrue();
    assertThat(shelf.gives()).isEqualTo("kept answers; 1 form stands down");
    assertThat(shelf.stoodDown())
        .singleElement()
        .satisfies(
            each -> {
              assertThat(each.form()).isEqualTo(form.formDigest());
              assertThat(each.why()).contains("direct ones 10.000 ms");
            });
    long direct = shelf.meters().snapshot().get(BypassReason.STANDS_DOWN);
    assertThat(direct).isPositive();
    Reading<Integer> reading = ask(shelf, key("bookings", -1));
    assertThat(reading.origin()).isEqualTo(Origin.DIRECT);
    assertThat(shelf.meters().snapshot().get(BypassReason.STANDS_DOWN)).isEqualTo(direct + 1);
  }

  /** What it stands beside is kept. */
  @Test
  void eachFormStandsForItself() {
    AnswerShelf shelf = shelf(Policy.standard());
    for (int i = 0; i < 2_000; i++) {
      ask(shelf, key("bookings", asked));
      ask(shelf, key("ports", i % 10));
    }
    assertThat(shelf.stoodDown()).hasSize(1);
    assertThat(ask(shelf, key("ports", 1)).origin()).isEqualTo(Origin.KEPT);
    assertThat(shelf.size()).isEqualTo(10);
  }

  @Test
  void aPolicyMayForbidIt() {
    AnswerShelf shelf = shelf(Policy.standard().standingDown(false));
    asksAlwaysAnew(shelf, "bookings", 2_000);
    assertThat(shelf.balance(key("bookings", 0).form())).isNull();
    assertThat(shelf.stoodDown()).isEmpty();
    assertThat(shelf.meters().snapshot().get(Count.FILLS)).isEqualTo(2_000);
  }

  @Test
  void oneThatGainsComesBackWithATrial() {
    AnswerShelf shelf = shelf(Policy.standard());
    asksAlwaysAnew(shelf, "bookings", 2_000);
    assertThat(shelf.stoodDown()).hasSize(1);
    for (int i = 0; i < 200_000 && !shelf.stoodDown().isEmpty(); i++) {
      ask(shelf, i % 10 == 0 ? key("bookings", asked) : key("bookings", -1 - i % 10));
    }
    assertThat(shelf.stoodDown()).isEmpty();
    ask(shelf, key("bookings", -5));
    assertThat(ask(shelf, key("bookings", -5)).origin()).isEqualTo(Origin.KEPT);
  }

  /** One miss in so many tells what a direct read takes; it is for its caller alone. */
  @Test
  void aSampleIsNotKept() {
    AnswerShelf shelf = shelf(Policy.standard());
    asksAlwaysAnew(shelf, "bookings", Balance.READS_A_SAMPLE - 1);
    Key sampled = key("bookings", -1);
    assertThat(ask(shelf, sampled).origin()).isEqualTo(Origin.DIRECT);
    assertThat(ask(shelf, sampled).origin()).isEqualTo(Origin.LOADED);
    assertThat(ask(shelf, sampled).origin()).isEqualTo(Origin.KEPT);
    assertThat(shelf.meters().snapshot().databaseReads()).isEqualTo(asked);
  }

  /** A sample that fails is a load that fails. */
  @Test
  void oldAnswersAreServedWhoeverAsksADatabaseThatFails() {
    Duration hour = Duration.ofHours(1);
    AnswerShelf shelf = shelf(Policy.standard().serving(OldAnswers.none().orWhenFailing(hour)));
    Key key = key("bookings", -1);
    int kept = ask(shelf, key).value();
    board.tickChanges(
        List.of(
            new Change(
                "t1", BOOKING, Optional.empty(), Optional.empty(), "UPDATE", Duration.ZERO)));
    ReadRequest<Integer, RuntimeException> failing =
        new Asked() {
          @Override
          public Interest interest(Integer answer) {
            return Interest.inLanesOf(BOOKINGS);
          }

          @Override
          public Integer load() {
            throw new IllegalStateException("the database is away");
          }

          @Override
          public Integer loadAlone() {
            return load();
          }
        };
    for (int i = 0; i < 2 * Balance.READS_A_SAMPLE; i++) {
      Reading<Integer> reading = shelf.read(key, failing, Function.identity());
      assertThat(reading.origin()).as("read %d", i).isEqualTo(Origin.OLD);
      assertThat(reading.value()).isEqualTo(kept);
    }
  }

  /** What is loaded while its form stands down does not stay behind. */
  @Test
  void aLoadThatStandingDownOvertakesIsNotKept() {
    AnswerShelf shelf = shelf(Policy.standard());
    Key key = key("bookings", -1);
    Balance balance = shelf.balance(key.form());
    ReadRequest<Integer, RuntimeException> overtaken =
        new Asked() {
          @Override
          public Integer load() {
            for (int i = 0; i < 10_000 && !balance.isDown(); i++) {
              time.pass(DIRECT);
              balance.wasRead(2_000_000, 1_000_000, true);
            }
            return super.load();
          }
        };
    board.advance(Watermark.now(time));
    shelf.read(key, overtaken, Function.identity());
    assertThat(balance.isDown()).isTrue();
    assertThat(shelf.size()).isZero();
  }

  /** Where an answer may be served that the shelf is not asked for, nobody counts what it gives. */
  @Test
  void whoLooksFromOutsideKeepsItsForm() {
    AnswerShelf shelf = shelf(Policy.standard());
    Reading<Integer> kept = ask(shelf, key("bookings", -1));
    assertThat(shelf.stillServes(kept).getAsBoolean()).isTrue();
    asksAlwaysAnew(shelf, "bookings", 2_000);
    assertThat(shelf.stoodDown()).isEmpty();
    assertThat(shelf.holdsNothing()).isFalse();
  }

  /** What is being read counts as kept, from before anybody looks until it is over. */
  @Test
  void aLoadUnderWayIsNotNothing() {
    AnswerShelf shelf = shelf(Policy.standard());
    assertThat(shelf.holdsNothing()).isTrue();
    board.advance(Watermark.now(time));
    boolean[] nothing = {true, true};
    ReadRequest<Integer, RuntimeException> looking =
        new ReadRequest<>() {
          @Override
          public Footprint lanes() {
            nothing[0] = shelf.holdsNothing();
            return BOOKINGS;
          }

          @Override
          public Integer load() {
            nothing[1] = shelf.holdsNothing();
            return 1;
          }

          @Override
          public String unshareable(Integer answer) {
            return "for its caller alone";
          }
        };
    shelf.read(key("bookings", 1), looking, Function.identity());
    assertThat(nothing).containsExactly(false, false);
    assertThat(shelf.holdsNothing()).isTrue();
    shelf.takesValues();
    assertThat(shelf.holdsNothing()).isFalse();
  }

  /** A read that begins between the looks at reads and at answers is seen by the last look. */
  @Test
  void aReadThatBeginsWhileAnswersAreCountedIsNotNothing() throws Exception {
    Store counted = mock(Store.class);
    Ground ground = Ground.of(board, time, Ground.Trust.FEED);
    AnswerShelf shelf = new AnswerShelf("main", Policy.standard(), ground, keeper -> counted);
    board.advance(Watermark.now(time));
    CountDownLatch loading = new CountDownLatch(1);
    CountDownLatch told = new CountDownLatch(1);
    ReadRequest<Integer, RuntimeException> slow =
        new Asked() {
          @Override
          public Integer load() {
            loading.countDown();
            assertThat(awaits(told)).isTrue();
            return super.load();
          }
        };
    ExecutorService other = Executors.newSingleThreadExecutor();
    try {
      List<Future<?>> reads = new ArrayList<>();
      when(counted.size())
          .thenAnswer(
              call -> {
                reads.add(
                    other.submit(() -> shelf.read(key("bookings", 1), slow, Function.identity())));
                assertThat(awaits(loading)).isTrue();
                return 0;
              });
      assertThat(shelf.holdsNothing()).isFalse();
      told.countDown();
      reads.get(0).get(10, TimeUnit.SECONDS);
    } finally {
      other.shutdownNow();
    }
  }

  private static boolean awaits(CountDownLatch latch) {
    try {
      return latch.await(10, TimeUnit.SECONDS);
    } catch (InterruptedException e) {
      throw new IllegalStateException(e);
    }
  }
}
