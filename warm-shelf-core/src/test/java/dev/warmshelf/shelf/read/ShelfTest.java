package dev.warmshelf.shelf.read;

import static java.time.Duration.ofSeconds;
import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Count;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.WhenLost;
import dev.warmshelf.store.BoundedStore;
import dev.warmshelf.store.Store;
import dev.warmshelf.time.Watermark;
import dev.warmshelf.trial.MovableTime;
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
  private final AnswerShelf shelf = shelf(Policy.standard());

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
    assertThat(shelf.meters().snapshot().get(Count.HITS)).isEqualTo(1);
    assertThat(shelf.meters().snapshot().get(Count.MISSES)).isEqualTo(1);
    assertThat(shelf.meters().snapshot().hitRatio()).isEqualTo(0.5);
  }

  /** What is done around a load costs who asked; a database that fails says nothing of it. */
  @Test
  void timeSavedIsNetOfWhatIsDoneAroundLoads() throws IOException {
    Questions db = new Questions();
    AnswerShelf measured =
        db.shelf(policy -> policy.serving(OldAnswers.none().orWhenFailing(ofSeconds(60))));
    Questions.Asking dear =
        db.new Asking() {
          @Override
          public Footprint lanes() {
            db.time.pass(Duration.ofMillis(7));
            return super.lanes();
          }
        };
    db.read(measured, 1, dear);
    assertThat(measured.meters().snapshot().get(Count.BEYOND_LOADS_NANOS)).isEqualTo(7_000_000);
    assertThat(measured.meters().snapshot().timeSavedNanos()).isEqualTo(-7_000_000);
    db.read(measured, 1, dear);
    assertThat(measured.meters().snapshot().timeSavedNanos()).isEqualTo(100_000_000 - 7_000_000);
    db.change(41);
    db.down = new IOException("down");
    assertThat(db.read(measured, 1, dear).origin()).isEqualTo(Origin.OLD);
    assertThat(measured.meters().snapshot().timeSavedNanos()).isEqualTo(100_000_000 - 7_000_000);
  }

  @Test
  void aTickedLaneIsReadAgain() {
    read(1);
    database.set(41);
    board.tick(List.of(BOOKING));
    Reading<Integer> again = read(1);
    assertThat(again.value()).isEqualTo(41);
    assertThat(again.origin()).isEqualTo(Origin.LOADED);
    assertThat(shelf.meters().snapshot().get(Count.INVALIDATED)).isEqualTo(1);
    assertThat(shelf.meters().snapshot().get(Count.WASTED)).isEqualTo(1);
  }

  @Test
  void aLoadThatBeganBeforeTheChangeIsNotKept() {
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
  void anAnswerLivesAsLongAsItsTtlWhateverTheWallClockDoes() {
    AnswerShelf brief = shelf(Policy.standard().ttl(Duration.ofSeconds(30)));
    read(brief, 1);
    time.jumpWallClock(Duration.ofDays(-400));
    pass(Duration.ofSeconds(29));
    assertThat(read(brief, 1).origin()).isEqualTo(Origin.KEPT);
    assertThat(read(brief, 1).age()).isEqualTo(Duration.ofSeconds(29));
    time.jumpWallClock(Duration.ofDays(800));
    pass(Duration.ofSeconds(1));
    assertThat(read(brief, 1).origin()).isEqualTo(Origin.LOADED);
    assertThat(brief.meters().snapshot().get(Count.EXPIRED)).isEqualTo(1);
  }

  @Test
  void withoutTtlAnAnswerIsServedAsLongAsItIsFresh() {
    AnswerShelf patient = shelf(Policy.standard().withoutTtl());
    read(patient, 1);
    pass(Duration.ofDays(3_000));
    assertThat(read(patient, 1).origin()).isEqualTo(Origin.KEPT);
  }

  @Test
  void whileTheFeedIsSilentTheDatabaseAnswers() { // the moment of loss
    read(1);
    time.pass(Duration.ofMillis(1_001));
    database.set(41); // nobody could tell the board
    Reading<Integer> direct = read(1);
    assertThat(direct.value()).isEqualTo(41);
    assertThat(direct.origin()).isEqualTo(Origin.DIRECT);
    assertThat(direct.bypass()).hasValue("feed lost");
    assertThat(shelf.isFeedLost()).isTrue();
    assertThat(shelf.meters().snapshot().get(BypassReason.FEED_LOST)).isEqualTo(1);
    board.tick(List.of(BOOKING)); // it returns, from where it left off
    board.advance(Watermark.now(time));
    assertThat(read(1).value()).isEqualTo(41);
    assertThat(read(1).origin()).isEqualTo(Origin.KEPT);
  }

  @Test
  void aShelfOnTtlAloneServesWithoutAFeedAndClaimsNoMoreThanItKnows() {
    AnswerShelf alone =
        new AnswerShelf("alone", Policy.standard(), new Board(), time, Ground.Trust.TTL_ALONE);
    Instant loaded = time.wall();
    read(alone, 1);
    pass(Duration.ofMinutes(5));
    assertThat(read(alone, 1).origin()).isEqualTo(Origin.KEPT);
    assertThat(read(alone, 1).freshAsOf()).isEqualTo(loaded);
    assertThatThrownBy(
            () ->
                new AnswerShelf(
                    "never", Policy.standard().withoutTtl(), board, time, Ground.Trust.TTL_ALONE))
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
  void freshAsOfIsNeverAheadOfAWallClockThatStepsBack() {
    read(1);
    pass(Duration.ofSeconds(5));
    Reading<Integer> hit = read(1);
    time.jumpWallClock(Duration.ofSeconds(-10));
    assertThat(hit.freshAsOf()).isEqualTo(time.wall());
    assertThat(read(1).freshAsOf()).isEqualTo(time.wall());
    time.pass(Duration.ofMillis(100));
    assertThat(read(1).freshAsOf()).isEqualTo(time.wall().minusMillis(100));
  }

  @Test
  void aClosedShelfServesNothingAndTheDatabaseAnswers() {
    read(1);
    Fence fence = shelf.fence();
    shelf.close();
    database.set(41); // and nobody tells the board any more
    assertThat(read(1).value()).isEqualTo(41);
    assertThat(read(1).bypass()).hasValue("closed");
    assertThat(shelf.<Integer>get(key(1))).isNull();
    assertThat(shelf.put(key(1), 39, BOOKINGS, fence)).isFalse();
  }

  @Test
  void anErrorReachesTheCallerAsItIsAndIsNotKept() {
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
    assertThat(shelf.meters().snapshot().get(Count.LOAD_FAILURES)).isEqualTo(1);
  }

  @Test
  void aBrokenStoreNeverBreaksTheRead() {
    Store broken = mock();
    when(broken.get(any()))
        .thenReturn(null)
        .thenReturn(null)
        .thenThrow(new IllegalStateException("disk"));
    doThrow(new IllegalStateException("full")).when(broken).put(any());
    AnswerShelf unlucky =
        new AnswerShelf(
            "unlucky",
            Policy.standard(),
            Ground.of(board, time, Ground.Trust.FEED),
            keeper -> broken);
    assertThat(read(unlucky, 1).value()).isEqualTo(40);
    Reading<Integer> second = read(unlucky, 1);
    assertThat(second.value()).isEqualTo(40);
    assertThat(second.bypass()).hasValueSatisfying(why -> assertThat(why).contains("disk"));
    assertThat(unlucky.meters().snapshot().get(Count.FILLS)).isZero();
  }

  @Test
  void theBoundHoldsAndEvictionsAreCounted() {
    AnswerShelf small = shelf(Policy.standard().holding(Capacity.entries(3)));
    for (int id = 0; id < 10; id++) {
      read(small, id);
    }
    assertThat(small.size()).isEqualTo(3);
    assertThat(small.meters().snapshot().get(Count.EVICTED)).isEqualTo(7);
    assertThat(small.meters().snapshot().get(Count.WASTED)).isEqualTo(7);
  }

  @Test
  void missingAnswersAreKeptToo() {
    shelf.<@org.jspecify.annotations.Nullable Integer, RuntimeException>read(
        key(1), BOOKINGS, () -> null);
    assertThat(read(1).value()).isNull();
    assertThat(loads).hasValue(0);
  }

  @Test
  void whileTheFeedIsLostEachShelfDoesWhatItsPolicySays() { // E7
    AnswerShelf withinTtl = shelf(Policy.standard().whenLost(WhenLost.serveWithinTtl()));
    AnswerShelf bounded = shelf(Policy.standard().whenLost(WhenLost.serveWithin(ofSeconds(30))));
    for (AnswerShelf each : List.of(shelf, withinTtl, bounded)) {
      read(each, 1);
    }
    Instant watermark = time.wall();
    time.pass(ofSeconds(20)); // and the feed says nothing
    database.set(41);
    assertThat(read(shelf, 1).origin()).isEqualTo(Origin.DIRECT);
    assertThat(read(withinTtl, 1).value()).isEqualTo(40);
    assertThat(read(bounded, 1).value()).isEqualTo(40);
    assertThat(read(bounded, 1).freshAsOf()).isEqualTo(watermark);
    time.pass(ofSeconds(20));
    assertThat(read(withinTtl, 1).value()).isEqualTo(40);
    Reading<Integer> again = read(bounded, 1);
    assertThat(again.value()).as("older than the bound, so read again").isEqualTo(41);
    assertThat(read(bounded, 1).origin()).as("and kept for others").isEqualTo(Origin.KEPT);
    assertThat(read(bounded, 1).freshAsOf()).isEqualTo(again.freshAsOf());
    time.pass(Duration.ofMinutes(10));
    assertThat(read(withinTtl, 1).value()).isEqualTo(41);
    assertThatThrownBy(() -> WhenLost.serveWithin(Duration.ZERO)).hasMessageContaining("zero");
  }

  @Test
  void aCallersOwnBoundIsKeptThoughTheShelfWouldServeSomethingOlder() { // Z4
    AnswerShelf lenient = shelf(Policy.standard().whenLost(WhenLost.serveWithinTtl()));
    read(lenient, 1);
    time.pass(ofSeconds(20));
    database.set(41);
    assertThat(within(lenient, ofSeconds(21)).value()).isEqualTo(40);
    assertThat(within(lenient, ofSeconds(19)).value()).isEqualTo(41);
    board.advance(Watermark.now(time));
    time.pass(ofSeconds(2));
    assertThat(within(lenient, ofSeconds(3)).origin()).isEqualTo(Origin.KEPT);
  }

  private Reading<Integer> within(AnswerShelf from, Duration bound) {
    return from.<Integer, Integer, RuntimeException>read(
        key(1),
        new ReadRequest<>() {
          @Override
          public Footprint lanes() {
            return BOOKINGS;
          }

          @Override
          public Integer load() {
            return database.get();
          }

          @Override
          public long freshWithinNanos() {
            return bound.toNanos();
          }
        },
        value -> value);
  }

  @Test
  void aKeyClearedDuringItsLoadIsNotKept() {
    shelf.<Integer, RuntimeException>read(
        key(1),
        BOOKINGS,
        () -> {
          shelf.clear(key(1));
          return 39;
        });
    assertThat(read(1).value()).isEqualTo(40);
    shelf.clear(key(2));
    assertThat(read(1).origin()).isEqualTo(Origin.KEPT);
  }

  @Test
  void aKeyClearedJustBeforeItsAnswerIsPutIntoTheStoreIsTakenOutAgain() {
    Store[] real = new Store[1];
    AnswerShelf[] made = new AnswerShelf[1];
    made[0] =
        new AnswerShelf(
            "test",
            Policy.standard(),
            Ground.of(board, time, Ground.Trust.FEED),
            keeper -> {
              real[0] = new BoundedStore(Ground.room(Capacity.entries(10), time), keeper);
              Store watched = mock();
              when(watched.get(any())).then(call -> real[0].get(call.getArgument(0)));
              when(watched.remove(any())).then(call -> real[0].remove(call.getArgument(0)));
              doAnswer(
                      call -> {
                        made[0].clear(key(1)); // finds nothing yet
                        return real[0].put(call.getArgument(0));
                      })
                  .when(watched)
                  .put(any());
              return watched;
            });
    read(made[0], 1);
    assertThat(real[0].size()).isZero();
  }

  @Test
  void aShelfClearedDuringALoadKeepsNothingOfIt() {
    read(2);
    shelf.<Integer, RuntimeException>read(
        key(1),
        BOOKINGS,
        () -> {
          shelf.clear();
          return 39;
        });
    assertThat(read(1).value()).isEqualTo(40);
    assertThat(read(2).origin()).isEqualTo(Origin.LOADED);
  }

  @Test
  void aValueIsPutOnlyIfNothingChangedSinceItsFence() { // B5
    Fence fence = shelf.fence();
    assertThat(shelf.put(key(1), 7, BOOKINGS, fence)).isTrue();
    assertThat(shelf.get(key(1)).value()).isEqualTo(7);
    board.tick(List.of(BOOKING));
    assertThat(shelf.get(key(1))).isNull();
    assertThat(shelf.put(key(1), 7, BOOKINGS, fence)).isFalse();
    assertThat(shelf.meters().snapshot().get(Count.OVERTAKEN)).isEqualTo(1);
  }

  @Test
  void lanesThatOnlyTheAnswerTellsPutItOutToo() {
    Lane sailing = BOOKING.group("sailing_id=3");
    ReadRequest<Integer, RuntimeException> board3 =
        new ReadRequest<>() {
          @Override
          public Footprint lanes() {
            return Footprint.NOTHING;
          }

          @Override
          public Integer load() {
            board.tick(List.of(sailing)); // during the load: its answer may miss it
            return 3;
          }

          @Override
          public Footprint lanes(Footprint before, Integer answer) {
            return before.and(List.of(BOOKING.group("sailing_id=" + answer)));
          }
        };
    shelf.read(key(1), board3, value -> value);
    assertThat(shelf.get(key(1))).isNull();
  }

  private AnswerShelf shelf(Policy policy) {
    return new AnswerShelf("test", policy, board, time, Ground.Trust.FEED);
  }

  private void pass(Duration duration) {
    time.pass(duration);
    board.advance(Watermark.now(time));
  }

  private Reading<Integer> read(int id) {
    return read(shelf, id);
  }

  private Reading<Integer> read(AnswerShelf from, int id) {
    return from.<Integer, RuntimeException>read(
        key(id),
        BOOKINGS,
        () -> {
          loads.incrementAndGet();
          return database.get();
        });
  }

  private static Key key(int id) {
    return Key.of(KeyShape.of("test", "q"), new String[] {"id"}, new Object[] {id});
  }
}
