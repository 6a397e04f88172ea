package dev.warmshelf.trial;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.within;

import java.util.SplittableRandom;
import org.junit.jupiter.api.Test;

class BreakEvenTest {
  @Test
  void agreesWithAWorkedExample() {
    // Direct 10, hit 1, miss 12: at ratio r the mean is r + 12 (1 - r), which is 10 at r = 2/11.
    BreakEven worked = new BreakEven(10, 1, 12);
    assertThat(worked.missPenalty()).isEqualTo(1.2);
    assertThat(worked.ratio()).isCloseTo(2 / 11.0, within(1e-12));
    assertThat(worked.gain(2 / 11.0)).isCloseTo(1, within(1e-12));
    assertThat(worked.gain(1)).isEqualTo(10);
  }

  @Test
  void aShelfThatIsNeverSlowerHasNothingToMakeGoodAndOneThatAlwaysIsNeverDoes() {
    assertThat(new BreakEven(10, 1, 9).ratio()).isZero();
    assertThat(new BreakEven(10, 11, 12).ratio()).isGreaterThan(1);
    assertThat(new BreakEven(10, 20, 12).ratio()).isInfinite();
    assertThat(new BreakEven(10, 11, 9).ratio()).isInfinite();
    assertThatThrownBy(() -> new BreakEven(0, 1, 1)).hasMessageContaining("above zero");
  }

  @Test
  void aboveTheBreakEvenRatioReadsAreFasterAndBelowItSlower() {
    SplittableRandom random = new SplittableRandom(1);
    for (int i = 0; i < 10_000; i++) {
      double hit = 1 + random.nextDouble() * 10;
      double direct = hit + random.nextDouble() * 100 + 0.1;
      double miss = direct + random.nextDouble() * 100 + 0.1;
      BreakEven times = new BreakEven(direct, hit, miss);
      assertThat(times.gain(Math.min(1, times.ratio() + 0.01))).isGreaterThan(1);
      if (times.ratio() > 0.01) {
        assertThat(times.gain(times.ratio() - 0.01)).isLessThan(1);
      }
    }
  }
}
