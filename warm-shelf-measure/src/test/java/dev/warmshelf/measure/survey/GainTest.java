package dev.warmshelf.measure.survey;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import dev.warmshelf.trial.Zipf;
import java.time.Duration;
import java.util.Arrays;
import java.util.OptionalDouble;
import java.util.SplittableRandom;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class GainTest {
  private static final Duration KEPT = Duration.ofMinutes(10);
  private static final int EXECUTIONS = 400_000;

  private static Asked atMost(double questions) {
    return new Asked(OptionalDouble.of(questions), OptionalDouble.of(questions));
  }

  /** Questions and changes at random moments, told one by one. */
  private static double played(int questions, double popularity, double perSecond, double changes) {
    SplittableRandom random = new SplittableRandom(3);
    Zipf ranks = new Zipf(questions, popularity);
    double[] trueSince = new double[questions];
    double[] asked = new double[questions];
    Arrays.fill(asked, Double.NEGATIVE_INFINITY);
    double ends = changes + 1.0 / KEPT.toSeconds();
    double now = 0;
    int hits = 0;
    for (int i = 0; i < EXECUTIONS; i++) {
      now += -Math.log(1 - random.nextDouble()) / perSecond;
      int question = ranks.draw(random);
      double age = -Math.log(1 - random.nextDouble()) / ends; // since it changed last
      trueSince[question] = Math.max(trueSince[question], now - age);
      hits += asked[question] >= now - age ? 1 : 0;
      asked[question] = now;
    }
    return hits / (double) EXECUTIONS;
  }

  @ParameterizedTest
  @CsvSource({"1, 20, 5", "40, 9, 0.03", "400, 20, 0.01", "3000, 50, 0.001", "200, 2, 0"})
  void theSharesAreWhatRandomQuestionsAndChangesGive(
      int questions, double perSecond, double changes) {
    Gain gain = Gain.of(KEPT, perSecond, changes, atMost(questions));
    assertThat(gain.worst()).isEqualTo(played(questions, 0, perSecond, changes), within(0.01));
    assertThat(gain.likely()).isEqualTo(played(questions, 1, perSecond, changes), within(0.01));
    assertThat(gain.best()).isEqualTo(played(1, 0, perSecond, changes), within(0.01));
  }

  @Test
  void theBoundsHoldTheGuessBetweenThem() {
    SplittableRandom random = new SplittableRandom(5);
    for (int i = 0; i < 2_000; i++) {
      Gain gain =
          Gain.of(
              KEPT,
              Math.pow(10, random.nextDouble(-4, 4)),
              random.nextInt(4) == 0 ? 0 : Math.pow(10, random.nextDouble(-4, 4)),
              atMost(Math.pow(10, random.nextDouble(0, 9))));
      assertThat(gain.worst()).isBetween(0.0, gain.likely() + 1e-9);
      assertThat(gain.likely()).isBetween(gain.worst() - 1e-9, gain.best() + 1e-9);
      assertThat(gain.best()).isLessThan(1);
    }
  }

  @Test
  void whatIsNotBoundedMayAllBeDifferent() {
    Asked unknown = new Asked(OptionalDouble.empty(), OptionalDouble.empty());
    Gain gain = Gain.of(KEPT, 10, 0, unknown);
    assertThat(gain.worst()).isZero();
    assertThat(gain.likely()).isEqualTo(Gain.of(KEPT, 10, 0, atMost(6_000)).likely());
    assertThat(Gain.of(KEPT, 0, 1, unknown)).isEqualTo(new Gain(0, 0, 0));
  }
}
