package dev.warmshelf.trial;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.within;

import java.util.SplittableRandom;
import org.junit.jupiter.api.Test;

class WilsonTest {
  @Test
  void agreesWithWorkedExamples() {
    // By hand: p = 0.1, n = 100, z = 1.96; middle (0.1 + 0.019207) / 1.038415 = 0.114797,
    // spread 1.959964 * sqrt(0.0009 + 0.000096036) / 1.038415 = 0.059568.
    Wilson tenOfHundred = Wilson.of(10, 100);
    assertThat(tenOfHundred.ratio()).isEqualTo(0.1);
    assertThat(tenOfHundred.low()).isCloseTo(0.055229, within(1e-6));
    assertThat(tenOfHundred.high()).isCloseTo(0.174366, within(1e-6));
    // None of n: the upper bound is z² / (n + z²).
    assertThat(Wilson.of(0, 100).low()).isZero();
    assertThat(Wilson.of(0, 100).high()).isCloseTo(3.841459 / 103.841459, within(1e-6));
    assertThat(Wilson.of(100, 100).high()).isEqualTo(1);
    assertThat(Wilson.of(0, 0)).isEqualTo(new Wilson(0, 0, 1));
    assertThatThrownBy(() -> Wilson.of(2, 1)).hasMessageContaining("2 of 1");
  }

  @Test
  void holdsTheTrueRatioInNineteenOfTwentySamples() {
    SplittableRandom random = new SplittableRandom(1);
    for (double truth : new double[] {0.02, 0.3, 0.9}) {
      int held = 0;
      for (int sample = 0; sample < 4_000; sample++) {
        int count = 0;
        for (int i = 0; i < 200; i++) {
          count += random.nextDouble() < truth ? 1 : 0;
        }
        Wilson interval = Wilson.of(count, 200);
        held += interval.low() <= truth && truth <= interval.high() ? 1 : 0;
      }
      assertThat(held / 4_000.0).isBetween(0.925, 0.98);
    }
  }
}
