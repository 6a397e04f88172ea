package dev.warmshelf.shelf.read;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Count;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.time.Watermark;
import dev.warmshelf.trial.MovableTime;
import java.time.Duration;
import java.util.function.Function;
import org.junit.jupiter.api.Test;

/** A shelf whose questions cost more through it than past it. */
class StandingDownTest {
  private static final Footprint BOOKINGS = Footprint.of(Lane.ofTable("public", "booking"));
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
  private final class Asked implements ReadRequest<Integer, RuntimeException> {
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
}
