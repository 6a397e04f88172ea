package dev.warmshelf.delivery;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.spi.feed.Batch;
import dev.warmshelf.time.Watermark;
import dev.warmshelf.trial.MovableTime;
import java.time.Duration;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.Test;

/** A transaction's changes are told by itself and by the feed, in either order. */
class OwnWriteTest {
  private static final Lane PORT = Lane.ofTable("public", "port");
  private static final Footprint PORTS = Footprint.of(PORT);

  private final Board board = new Board(1 << 10);
  private final Delivery delivery =
      new Delivery(board, new MovableTime(), new FeedMeters(), cleared -> {});

  private static Change changeOf(String transaction) {
    return new Change(
        transaction, PORT, Optional.empty(), Optional.empty(), "UPDATE", Duration.ZERO);
  }

  private void feedTells(long mark, Change... changes) {
    delivery.deliver(Batch.upTo(new Watermark(mark), List.of(changes)));
  }

  private OwnWrite announced(Change... itself) {
    OwnWrite write = new OwnWrite("7", Footprint.NOTHING, 0, List.of(itself));
    delivery.expect(write);
    return write;
  }

  @Test
  void whatItHasToldTheFeedDoesNotTellAgain() {
    OwnWrite write = announced(changeOf("7"));
    long before = board.lastTick();
    write.hasReturned(board, 100);
    assertThat(board.isFresh(PORTS, before)).isFalse();
    long loaded = board.lastTick();
    feedTells(50);
    feedTells(200, changeOf("7"));
    assertThat(board.isFresh(PORTS, loaded)).as("what was loaded since stays").isTrue();
    feedTells(300, changeOf("7"));
    assertThat(board.isFresh(PORTS, loaded)).as("forgotten once a look has met it").isFalse();
  }

  @Test
  void whatTheFeedHasToldItDoesNotTellAgain() {
    OwnWrite write = announced(changeOf("7"));
    feedTells(50, changeOf("7"));
    long loaded = board.lastTick();
    write.hasReturned(board, 100);
    assertThat(board.isFresh(PORTS, loaded)).isTrue();
  }

  @Test
  void whatItDidNotKnowOfTheFeedTells() {
    for (int known = 0; known < 2; known++) {
      OwnWrite write = announced(known == 0 ? new Change[0] : new Change[] {changeOf("7")});
      write.hasReturned(board, 100);
      long loaded = board.lastTick();
      feedTells(200, changeOf("7"), changeOf("7"));
      assertThat(board.isFresh(PORTS, loaded)).as("%d known", known).isFalse();
    }
  }

  @Test
  void ofACommitThatHasNotReturnedNothingIsTold() {
    OwnWrite write = announced(changeOf("7"));
    long before = board.lastTick();
    delivery.forget(write);
    assertThat(board.isFresh(PORTS, before)).isTrue();
    feedTells(200, changeOf("7"));
    assertThat(board.isFresh(PORTS, before)).isFalse();
  }

  @Test
  void anAnswerThatIsMadeOfItHoldsUntilSomebodyElseChangesTheSame() {
    long fence = board.lastTick();
    OwnWrite write = new OwnWrite("7", PORTS, fence, List.of(changeOf("7")));
    delivery.expect(write);
    write.hasReturned(board, 100);
    assertThat(board.isFresh(PORTS, fence, write.ownTick())).isTrue();
    feedTells(200, changeOf("7"));
    assertThat(board.isFresh(PORTS, fence, write.ownTick())).isTrue();
    feedTells(300, changeOf("8"));
    assertThat(board.isFresh(PORTS, fence, write.ownTick())).isFalse();
  }

  @Test
  void whicheverOfTheTwoIsFirstUnderConcurrencyTheChangeIsToldOnce() throws Exception {
    for (int round = 0; round < 2_000; round++) {
      OwnWrite write = announced(changeOf("7"));
      long before = board.lastTick();
      Thread feed = new Thread(() -> feedTells(50, changeOf("7")));
      feed.start();
      write.hasReturned(board, 100);
      feed.join();
      assertThat(board.lastTick() - before).as("round %d", round).isEqualTo(1);
      assertThat(board.isFresh(PORTS, before)).isFalse();
      feedTells(200);
    }
  }
}
