package dev.warmshelf.fresh;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.key.Footprint;
import dev.warmshelf.key.Lane;
import java.util.AbstractCollection;
import java.util.Collection;
import java.util.Iterator;
import java.util.List;
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
  void aStampNeverFallsThoughTheLowerTickIsWrittenLast() {
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
    assertThat(first).isLessThan(second[0]);
    assertThat(board.isFresh(Footprint.of(PORT), first)).isFalse();
    assertThat(board.isFresh(Footprint.of(PORT), second[0])).isTrue();
  }

  @Test
  void sizesThatAreNoPowerOfTwoAreRefused() {
    assertThatThrownBy(() -> new Board(1000))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessageContaining("1000");
  }
}
