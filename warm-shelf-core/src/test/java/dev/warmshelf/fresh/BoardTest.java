package dev.warmshelf.fresh;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.key.Footprint;
import dev.warmshelf.key.Lane;
import java.util.List;
import java.util.concurrent.CyclicBarrier;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.junit.jupiter.api.Test;

class BoardTest {
  private static final Lane PORT = Lane.ofTable("public", "port");
  private static final Lane ROUTE = Lane.ofTable("public", "route");

  private final Board board = new Board();

  @Test
  void anEntryStaysFreshWhileOtherLanesChange() {
    long fence = board.fence();
    board.tick(List.of(ROUTE));
    assertThat(board.isFresh(Footprint.of(PORT), fence)).isTrue();
    assertThat(board.isFresh(Footprint.of(PORT, ROUTE), fence)).isFalse();
  }

  @Test
  void aLoadThatBeganAfterTheTickIsFresh() {
    board.tick(List.of(PORT));
    assertThat(board.isFresh(Footprint.of(PORT), board.fence())).isTrue();
  }

  @Test
  void tickingEverythingPutsOutEvenAnswersReadFromNoTable() {
    long fence = board.fence();
    board.tickEverything();
    assertThat(board.isFresh(Footprint.NOTHING, fence)).isFalse();
    assertThat(board.isFresh(Footprint.NOTHING, board.fence())).isTrue();
  }

  @Test
  void lanesThatShareAStampInvalidateEachOtherButHideNothing() {
    Board crowded = new Board(1);
    long fence = crowded.fence();
    crowded.tick(List.of(ROUTE));
    assertThat(crowded.isFresh(Footprint.of(PORT), fence)).isFalse();
  }

  @Test
  void aStampNeverFallsWhenTicksRace() throws Exception {
    // Whatever the order in which the stamps are written, after both ticks the lane must bear the
    // higher one: a fence just below it has to be out of date.
    ExecutorService two = Executors.newFixedThreadPool(2);
    try {
      for (int round = 0; round < 20_000; round++) {
        Board raced = new Board(1);
        CyclicBarrier together = new CyclicBarrier(2);
        Future<Long> one =
            two.submit(
                () -> {
                  together.await();
                  return raced.tick(List.of(PORT));
                });
        Future<Long> other =
            two.submit(
                () -> {
                  together.await();
                  return raced.tick(List.of(PORT));
                });
        long highest = Math.max(one.get(), other.get());
        assertThat(raced.isFresh(Footprint.of(PORT), highest - 1)).isFalse();
        assertThat(raced.isFresh(Footprint.of(PORT), highest)).isTrue();
      }
    } finally {
      two.shutdownNow();
    }
  }

  @Test
  void sizesThatAreNoPowerOfTwoAreRefused() {
    assertThatThrownBy(() -> new Board(1000))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessageContaining("1000");
  }
}
