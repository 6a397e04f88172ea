package dev.warmshelf.shelf.read;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Renewal;
import dev.warmshelf.trial.MovableTime;
import java.time.Duration;
import org.junit.jupiter.api.Test;

class WorthTest {
  @Test
  void whatTakesLongerToMendThanToLoadIsLoadedUntilItIsTriedAgain() {
    Worth worth = new Worth(5);
    assertThat(worth.tries(4)).isFalse();
    assertThat(worth.tries(1_000)).isTrue();
    worth.took(2_000, true);
    int leftOut = 0;
    while (!worth.tries(1_000)) {
      leftOut++;
    }
    assertThat(leftOut).isBetween(100, 300);
    assertThat(worth.tries(100_000)).isTrue();
    for (int i = 0; i < 100; i++) {
      worth.took(500, true);
    }
    assertThat(worth.tries(1_000)).isTrue();
    assertThat(worth.tries(499)).isFalse();
  }

  @Test
  void whoSaysThatAllIsMendedIsBelieved() {
    Worth worth = new Worth(0);
    worth.took(1_000_000, false);
    assertThat(worth.tries(0)).isTrue();
    assertThat(new Worth(Long.MAX_VALUE).tries(1_000_000)).isFalse();
  }

  @Test
  void whatMostlyComesToNothingIsTriedSeldom() {
    Worth worth = new Worth(5);
    long load = 1_000;
    long mend = 300; // well below the load: it is what it gives that is too little
    long spent = 0;
    int loads = 10_000;
    for (int i = 0; i < loads; i++) {
      if (worth.tries(load)) {
        worth.took(mend, false);
        spent += mend;
      }
    }
    assertThat((double) spent / (loads * load)).isBetween(0.001, 0.05);
    int until = 0;
    for (int tried = 0; tried < 100; until++) { // from now on each of them spares a load
      if (worth.tries(load)) {
        worth.took(mend, true);
        tried++;
      }
    }
    assertThat(until).isLessThan(500);
  }

  @Test
  void aFormWhoseMendsComeToNothingLeavesOthersAlone() {
    MovableTime time = new MovableTime();
    try (AnswerShelf shelf =
        new AnswerShelf(
            "test",
            Policy.standard().renewing(Renewal.mendingFrom(Duration.ofMillis(5))),
            new Board(),
            time,
            Ground.Trust.FEED)) {
      KeyShape vain = KeyShape.of("", "SELECT 1");
      KeyShape other = KeyShape.of("", "SELECT 2");
      for (int i = 0; i < 50; i++) {
        shelf.state().worths(vain).mending().took(400_000_000, false);
      }
      assertThat(shelf.state().worths(vain).mending().tries(1_000_000_000)).isFalse();
      assertThat(shelf.state().worths(other).mending().tries(1_000_000_000)).isTrue();
    }
  }
}
