package dev.warmshelf.fresh;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.lane.Footprint;
import dev.warmshelf.lane.Lane;
import java.time.Duration;
import java.util.AbstractCollection;
import java.util.Collection;
import java.util.Iterator;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;

class BoardTest {
  private static final Lane PORT = Lane.ofTable("public", "port");
  private static final Lane ROUTE = Lane.ofTable("public", "route");

  private final Board board = new Board();

  @Test
  void anEntryStaysFreshWhileOtherLanesChange() {
    long fence = board.lastTick();
    board.tick(List.of(ROUTE));
    assertThat(board.isFresh(Footprint.of(PORT), fence)).isTrue();
    assertThat(board.isFresh(Footprint.of(PORT, ROUTE), fence)).isFalse();
  }

  @Test
  void aLoadThatBeganAfterTheTickIsFresh() {
    board.tick(List.of(PORT));
    assertThat(board.isFresh(Footprint.of(PORT), board.lastTick())).isTrue();
  }

  @Test
  void tickingEverythingPutsOutEvenAnswersReadFromNoTable() {
    long fence = board.lastTick();
    board.tickEverything();
    assertThat(board.isFresh(Footprint.NOTHING, fence)).isFalse();
    assertThat(board.isFresh(Footprint.NOTHING, board.lastTick())).isTrue();
  }

  @Test
  void lanesThatShareAStampInvalidateEachOtherButHideNothing() {
    Board crowded = new Board(1);
    long fence = crowded.lastTick();
    crowded.tick(List.of(ROUTE));
    assertThat(crowded.isFresh(Footprint.of(PORT), fence)).isFalse();
  }

  @Test
  void aTickThatComesLateLeavesItsStampHigherThanItFoundIt() {
    // The first tick has taken its number when a second one, on the same lane, comes and goes.
    long[] second = new long[1];
    Collection<Lane> overtaken =
        new AbstractCollection<>() {
          @Override
          public Iterator<Lane> iterator() {
            second[0] = board.tick(List.of(PORT));
            return List.of(PORT).iterator();
          }

          @Override
          public int size() {
            return 1;
          }
        };
    long first = board.tick(overtaken);
    assertThat(first).isGreaterThan(second[0]);
    assertThat(board.isFresh(Footprint.of(PORT), second[0])).isFalse();
    assertThat(board.isFresh(Footprint.of(PORT), first)).isTrue();
  }

  @Test
  void anOwnWritePutsOutAllAnswersButTheOneMadeFromIt() {
    long fence = board.lastTick();
    long own = board.tickOwn(List.of(PORT), Footprint.of(PORT), fence);
    assertThat(board.isFresh(Footprint.of(PORT), fence)).isFalse();
    assertThat(board.isFresh(Footprint.of(PORT), fence, own)).isTrue();
    board.tick(List.of(PORT));
    assertThat(board.isFresh(Footprint.of(PORT), fence, own)).isFalse();
  }

  @Test
  void anOwnWriteIsOvertakenByAnyChangeToItsAnswersLanesSinceTheFence() {
    long fence = board.lastTick();
    board.tick(List.of(ROUTE));
    assertThat(board.tickOwn(List.of(PORT, ROUTE), Footprint.of(PORT), fence)).isPositive();
    assertThat(board.tickOwn(List.of(PORT, ROUTE), Footprint.of(ROUTE), fence))
        .isEqualTo(Board.OVERTAKEN);
  }

  @Test
  void aTickThatTookItsNumberBeforeAnOwnWriteAndCameAfterItIsNotHidden() {
    long fence = board.lastTick();
    long[] own = new long[1];
    Collection<Lane> slow =
        new AbstractCollection<>() {
          @Override
          public Iterator<Lane> iterator() {
            own[0] = board.tickOwn(List.of(PORT), Footprint.of(PORT), fence);
            return List.of(PORT).iterator();
          }

          @Override
          public int size() {
            return 1;
          }
        };
    board.tick(slow);
    assertThat(own[0]).isPositive();
    assertThat(board.isFresh(Footprint.of(PORT), fence, own[0])).isFalse();
  }

  @Test
  void whoWaitsForTheWatermarkIsWokenByIt() throws Exception {
    MovableTime time = new MovableTime();
    Watermark later = new Watermark(time.nanos() + 5);
    CompletableFuture<Boolean> reached =
        CompletableFuture.supplyAsync(
            () -> board.awaitWatermark(later.nanos(), Duration.ofSeconds(20)));
    board.advance(Watermark.now(time));
    board.advance(later);
    assertThat(reached.get(20, TimeUnit.SECONDS)).isTrue();
    assertThat(board.awaitWatermark(later.nanos() + 1, Duration.ofMillis(1))).isFalse();
  }

  @Test
  void sizesThatAreNoPowerOfTwoAreRefused() {
    assertThatThrownBy(() -> new Board(1000))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessageContaining("1000");
  }
}
