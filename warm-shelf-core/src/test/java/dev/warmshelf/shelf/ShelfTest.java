package dev.warmshelf.shelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.MovableTime;
import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.key.Footprint;
import dev.warmshelf.key.Form;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.Lane;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.store.Store;
import java.io.IOException;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

class ShelfTest {
  private static final Lane BOOKING = Lane.ofTable("public", "booking");
  private static final Footprint BOOKINGS = Footprint.of(BOOKING);

  private final MovableTime time = new MovableTime();
  private final Board board = new Board();
  private final AtomicInteger database = new AtomicInteger(40);
  private final AtomicInteger loads = new AtomicInteger();
  private final Shelf shelf = shelf(Policy.standard());

  @BeforeEach
  void theFeedIsLive() {
    board.advance(Watermark.now(time));
  }

  @Test
  void aMissLoadsAndAHitDoesNot() {
    assertThat(read(1).origin()).isEqualTo(Origin.LOADED);
    Reading<Integer> hit = read(1);
    assertThat(hit.origin()).isEqualTo(Origin.KEPT);
    assertThat(hit.value()).isEqualTo(40);
    assertThat(loads).hasValue(1);
    assertThat(shelf.meters().snapshot().hits()).isEqualTo(1);
    assertThat(shelf.meters().snapshot().misses()).isEqualTo(1);
    assertThat(shelf.meters().snapshot().hitRatio()).isEqualTo(0.5);
  }

  @Test
  void aTickedLaneIsReadAgain() {
    read(1);
    database.set(41);
    board.tick(List.of(BOOKING));
    Reading<Integer> again = read(1);
    assertThat(again.value()).isEqualTo(41);
    assertThat(again.origin()).isEqualTo(Origin.LOADED);
    assertThat(shelf.meters().snapshot().invalidated()).isEqualTo(1);
    assertThat(shelf.meters().snapshot().wasted()).isEqualTo(1);
  }

  @Test
  void aLoadThatBeganBeforeTheChangeIsNotKept() { // R1
    Reading<Integer> first =
        shelf.<Integer, RuntimeException>read(
            key(1),
            BOOKINGS,
            () -> {
              int old = database.get();
              database.set(41); // commits, and is delivered, while the load is still under way
              board.tick(List.of(BOOKING));
              return old;
            });
    assertThat(first.value()).isEqualTo(40);
    assertThat(first.holdsStill()).isFalse();
    assertThat(read(1).value()).isEqualTo(41);
  }

  @Test
  void anAnswerLivesAsLongAsItsTtlWhateverTheWallClockDoes() { // R12
    Shelf brief = shelf(Policy.standard().ttl(Duration.ofSeconds(30)));
    read(brief, 1);
    time.jumpWallClock(Duration.ofDays(-400));
    pass(Duration.ofSeconds(29));
    assertThat(read(brief, 1).origin()).isEqualTo(Origin.KEPT);
    assertThat(read(brief, 1).age()).isEqualTo(Duration.ofSeconds(29));
    time.jumpWallClock(Duration.ofDays(800));
    pass(Duration.ofSeconds(1));
    assertThat(read(brief, 1).origin()).isEqualTo(Origin.LOADED);
    assertThat(brief.meters().snapshot().expired()).isEqualTo(1);
  }

  @Test
  void withoutTtlAnAnswerIsServedAsLongAsItIsFresh() {
    Shelf patient = shelf(Policy.standard().withoutTtl());
    read(patient, 1);
    pass(Duration.ofDays(3_000));
    assertThat(read(patient, 1).origin()).isEqualTo(Origin.KEPT);
  }

  @Test
  void whileTheFeedIsSilentTheDatabaseAnswers() { // R7: the moment of loss
    read(1);
    time.pass(Duration.ofMillis(1_001));
    database.set(41); // nobody could tell the board
    Reading<Integer> direct = read(1);
    assertThat(direct.value()).isEqualTo(41);
    assertThat(direct.origin()).isEqualTo(Origin.DIRECT);
    assertThat(direct.bypass()).hasValue("feed lost");
    assertThat(shelf.isFeedLost()).isTrue();
    assertThat(shelf.meters().snapshot().bypasses()).containsEntry(BypassReason.FEED_LOST, 1L);
    board.tick(List.of(BOOKING)); // it returns, from where it left off
    board.advance(Watermark.now(time));
    assertThat(read(1).value()).isEqualTo(41);
    assertThat(read(1).origin()).isEqualTo(Origin.KEPT);
  }

  @Test
  void aShelfOnTtlAloneServesWithoutAFeedAndClaimsNoMoreThanItKnows() {
    Shelf alone = new Shelf("alone", Policy.standard(), new Board(), time, Shelf.Trust.TTL_ALONE);
    Instant loaded = time.wall();
    read(alone, 1);
    pass(Duration.ofMinutes(5));
    assertThat(read(alone, 1).origin()).isEqualTo(Origin.KEPT);
    assertThat(read(alone, 1).freshAsOf()).isEqualTo(loaded);
    assertThatThrownBy(
            () ->
                new Shelf(
                    "never", Policy.standard().withoutTtl(), board, time, Shelf.Trust.TTL_ALONE))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessageContaining("'never'");
  }

  @Test
  void aHitIsFreshAsOfTheWatermark() {
    Instant loadBegan = time.wall();
    assertThat(read(1).freshAsOf()).isEqualTo(loadBegan);
    pass(Duration.ofSeconds(5));
    assertThat(read(1).freshAsOf()).isEqualTo(loadBegan.plusSeconds(5));
  }

  @Test
  void anErrorReachesTheCallerAsItIsAndIsNotKept() { // R13
    assertThatThrownBy(
            () ->
                shelf.read(
                    key(1),
                    BOOKINGS,
                    () -> {
                      throw new IOException("the server is gone");
                    }))
        .isInstanceOf(IOException.class)
        .hasMessage("the server is gone");
    assertThat(read(1).value()).isEqualTo(40);
    assertThat(shelf.meters().snapshot().loadFailures()).isEqualTo(1);
  }

  @Test
  void aBrokenStoreNeverBreaksTheRead() {
    Store broken = mock();
    when(broken.get(any()))
        .thenReturn(null)
        .thenReturn(null)
        .thenThrow(new IllegalStateException("disk"));
    doThrow(new IllegalStateException("full")).when(broken).put(any());
    Shelf unlucky =
        new Shelf("unlucky", Policy.standard(), board, time, Shelf.Trust.FEED, e -> broken);
    assertThat(read(unlucky, 1).value()).isEqualTo(40);
    Reading<Integer> second = read(unlucky, 1);
    assertThat(second.value()).isEqualTo(40);
    assertThat(second.bypass()).hasValueSatisfying(why -> assertThat(why).contains("disk"));
    assertThat(unlucky.meters().snapshot().fills()).isZero();
  }

  @Test
  void theBoundHoldsAndEvictionsAreCounted() {
    Shelf small = shelf(Policy.standard().holding(Capacity.entries(3)));
    for (int id = 0; id < 10; id++) {
      read(small, id);
    }
    assertThat(small.size()).isEqualTo(3);
    assertThat(small.meters().snapshot().evicted()).isEqualTo(7);
    assertThat(small.meters().snapshot().wasted()).isEqualTo(7);
  }

  @Test
  void missingAnswersAreKeptToo() {
    shelf.<@org.jspecify.annotations.Nullable Integer, RuntimeException>read(
        key(1), BOOKINGS, () -> null);
    assertThat(read(1).value()).isNull();
    assertThat(loads).hasValue(0);
  }

  private Shelf shelf(Policy policy) {
    return new Shelf("test", policy, board, time, Shelf.Trust.FEED);
  }

  private void pass(Duration duration) {
    time.pass(duration);
    board.advance(Watermark.now(time));
  }

  private Reading<Integer> read(int id) {
    return read(shelf, id);
  }

  private Reading<Integer> read(Shelf from, int id) {
    return from.<Integer, RuntimeException>read(
        key(id),
        BOOKINGS,
        () -> {
          loads.incrementAndGet();
          return database.get();
        });
  }

  private static Key key(int id) {
    return Key.of(Form.of("test", "q"), new String[] {"id"}, new Object[] {id});
  }
}
