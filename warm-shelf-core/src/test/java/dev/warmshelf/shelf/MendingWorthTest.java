package dev.warmshelf.shelf;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;

class MendingWorthTest {
  @Test
  void whatTakesLongerToMendThanToLoadIsLoadedUntilItIsTriedAgain() {
    MendingWorth worth = new MendingWorth(5);
    assertThat(worth.isWorth(4)).isFalse();
    assertThat(worth.isWorth(1_000)).isTrue();
    worth.took(2_000);
    int leftOut = 0;
    while (!worth.isWorth(1_000)) {
      leftOut++;
    }
    assertThat(leftOut).isBetween(100, 300);
    assertThat(worth.isWorth(100_000)).isTrue();
    for (int i = 0; i < 100; i++) {
      worth.took(500);
    }
    assertThat(worth.isWorth(1_000)).isTrue();
    assertThat(worth.isWorth(499)).isFalse();
  }

  @Test
  void whoSaysThatAllIsMendedIsBelieved() {
    MendingWorth worth = new MendingWorth(0);
    worth.took(1_000_000);
    assertThat(worth.isWorth(0)).isTrue();
    assertThat(new MendingWorth(Long.MAX_VALUE).isWorth(1_000_000)).isFalse();
  }
}
