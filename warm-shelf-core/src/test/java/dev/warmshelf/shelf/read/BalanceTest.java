package dev.warmshelf.shelf.read;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.key.KeyShape;
import dev.warmshelf.shelf.Shelf.StoodDown;
import dev.warmshelf.trial.MovableTime;
import java.time.Duration;
import java.util.Locale;
import java.util.SplittableRandom;
import java.util.function.DoubleUnaryOperator;
import java.util.stream.Stream;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;

/** Standing down, with a program that asks so often, on a clock of its own. */
class BalanceTest {
  private static final KeyShape FORM = KeyShape.of("", "SELECT 1");
  private static final double DIRECT = 1_000_000;
  private static final double LOAD = 1_150_000;
  private static final double BESIDE_LOAD = 50_000;
  private static final double HIT = 1_000;
  private static final int PER_SECOND = 150;

  /** What callers wait until an answer is as likely there as it can be. */
  private static final double SECONDS_TO_WARM = 3;

  private final MovableTime time = new MovableTime();
  private int left;
  private final Balance balance = new Balance("main", FORM, time, () -> left++);

  /** A program whose hit ratio follows from the hour of the day. */
  private final class Program {
    private final SplittableRandom random = new SplittableRandom(7);
    private final DoubleUnaryOperator hits;
    private double took;
    private double tookDown;
    private double tookKept;
    private int switches;
    private double warm;
    private boolean wasDown;

    Program(DoubleUnaryOperator hits) {
      this.hits = hits;
    }

    Program runs(Duration during) {
      long end = time.nanos() + during.toNanos();
      while (time.nanos() < end) {
        double hour = time.nanos() / (double) Duration.ofHours(1).toNanos();
        double likely = hits.applyAsDouble(hour % 24);
        asks(likely);
        tookDown += DIRECT;
        tookKept += likely * HIT + (1 - likely) * (LOAD + BESIDE_LOAD);
        time.pass(Duration.ofSeconds(1).dividedBy(PER_SECOND));
      }
      return this;
    }

    private void asks(double likely) {
      double noisy = 0.8 + 0.4 * random.nextDouble();
      if (balance.isDown()) {
        balance.wasDirect((long) (DIRECT * noisy));
        took += DIRECT * noisy;
        warm = 0;
      } else if (random.nextDouble() < likely * Math.min(1, warm / SECONDS_TO_WARM)) {
        balance.given().add((long) LOAD);
        took += HIT;
      } else if (balance.samples()) {
        balance.wasDirect((long) (DIRECT * noisy));
        took += DIRECT * noisy;
      } else {
        long load = (long) (LOAD * noisy);
        balance.wasRead(load + (long) BESIDE_LOAD, load, true);
        took += load + BESIDE_LOAD;
      }
      warm += 1.0 / PER_SECOND;
      boolean isDown = balance.stoodDown().isPresent();
      switches += isDown == wasDown ? 0 : 1;
      wasDown = isDown;
    }

    /** What it has waited, as parts of what it would have waited with the better fixed choice. */
    double againstTheBetter() {
      return took / Math.min(tookDown, tookKept);
    }

    @Override
    public String toString() {
      return String.format(
          Locale.ROOT,
          "%.3f of the better (%.3f of direct, kept always %.3f), %d switches",
          againstTheBetter(),
          took / tookDown,
          tookKept / tookDown,
          switches);
    }
  }

  static Stream<Arguments> days() {
    return Stream.of(
        day("never a hit", hour -> 0),
        day("mostly hits", hour -> 0.9),
        day("hits that just pay", hour -> 0.3),
        day("hits that just do not", hour -> 0.1),
        day("nights of hits", hour -> hour < 7 ? 0.95 : 0.02),
        day("hits now and then", hour -> hour % 4 < 0.5 ? 0.9 : 0),
        day("every other hour", hour -> hour % 2 < 1 ? 0.9 : 0.02),
        day("every other five minutes", hour -> hour * 12 % 2 < 1 ? 0.6 : 0),
        day("every other half minute", hour -> hour * 120 % 2 < 1 ? 0.33 : 0),
        day("rising and falling", hour -> 0.17 + 0.17 * Math.sin(hour * Math.PI)));
  }

  private static Arguments day(String name, DoubleUnaryOperator hits) {
    return Arguments.of(name, hits);
  }

  @Tag("thorough")
  @ParameterizedTest(name = "{0}")
  @MethodSource("days")
  void aDayCostsAsMuchAsTheBetterFixedChoiceAndDoesNotFlap(String name, DoubleUnaryOperator hits) {
    Program day = new Program(hits).runs(Duration.ofHours(24));
    System.out.println("standing down, " + name + ": " + day);
    assertThat(day.againstTheBetter()).as("%s", day).isLessThan(1.05);
    assertThat(day.switches).as("%s", day).isLessThan(4 * 24);
  }

  @Test
  void aFormThatGivesNothingCostsHardlyMoreThanDirectReads() {
    Program program = new Program(hour -> 0).runs(Duration.ofMinutes(1));
    assertThat(balance.isDown()).isTrue();
    assertThat(left).isPositive();
    StoodDown stoodDown = balance.stoodDown().orElseThrow();
    assertThat(stoodDown.form()).isEqualTo(FORM.formDigest());
    assertThat(stoodDown.why()).contains("on average, direct ones");
    double before = program.took;
    double direct = program.tookDown;
    program.runs(Duration.ofHours(2));
    assertThat((program.took - before) / (program.tookDown - direct)).isLessThan(1.02);
    assertThat(balance.stoodDown().orElseThrow().since()).isEqualTo(stoodDown.since());
  }

  @Test
  void oneThatGivesMuchIsKeptThroughAShortTrouble() {
    Program program = new Program(hour -> hour > 1 && hour < 1.05 ? 0 : 0.8);
    program.runs(Duration.ofHours(2));
    assertThat(program.switches).isZero();
  }

  @Test
  void oneThatIsUsedUnseenIsAlwaysKept() {
    balance.isUsedUnseen();
    new Program(hour -> 0).runs(Duration.ofMinutes(5));
    assertThat(balance.isDown()).isFalse();
    assertThat(balance.stoodDown()).isEmpty();
  }

  @Test
  void fewReadsSayNothing() {
    for (int i = 0; i < Balance.LEAST_READS * Balance.DEAR_WINDOWS - 1; i++) {
      time.pass(Duration.ofSeconds(1));
      balance.wasRead(2_000_000, 1_000_000, true);
    }
    assertThat(balance.isDown()).isFalse();
    time.pass(Duration.ofSeconds(1));
    balance.wasRead(2_000_000, 1_000_000, true);
    assertThat(balance.isDown()).isTrue();
  }

  /**
   * Where keeping slows down all that the database does, each comparison at one time says that it
   * gains.
   *
   * @param directWhileDown in nanoseconds
   * @return how often it has stood down, be it for a moment
   */
  private int gainsByEachComparison(long directWhileDown, Duration during) {
    SplittableRandom random = new SplittableRandom(3);
    int downs = 0;
    boolean wasDown = false;
    for (long end = time.nanos() + during.toNanos(); time.nanos() < end; ) {
      time.pass(Duration.ofSeconds(1).dividedBy(PER_SECOND));
      if (balance.isDown()) {
        balance.wasDirect(directWhileDown);
      } else if (random.nextInt(4) == 0) {
        balance.given().add(1_700_000);
      } else if (balance.samples()) {
        balance.wasDirect(1_600_000);
      } else {
        balance.wasRead(1_750_000, 1_700_000, true);
      }
      downs += balance.isDown() && !wasDown ? 1 : 0;
      wasDown = balance.isDown();
    }
    return downs;
  }

  @Test
  void whatKeepingCostsBesideTheReadsIsSeenInDoubt() {
    gainsByEachComparison(1_000_000, Duration.ofMinutes(1));
    assertThat(balance.stoodDown().orElseThrow().why()).contains("direct ones 1.0");
  }

  @Test
  void whoIsDoubtedInVainIsKeptAndDoubtedLessAndLess() {
    int downs = gainsByEachComparison(1_600_000, Duration.ofHours(2));
    assertThat(balance.stoodDown()).isEmpty();
    assertThat(downs).isBetween(3, 15);
  }
}
