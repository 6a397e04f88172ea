package dev.warmshelf.fresh;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.ChangedRow;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.plan.FootprintPlan;
import dev.warmshelf.plan.Interest;
import dev.warmshelf.plan.InterestPlan;
import dev.warmshelf.time.Watermark;
import dev.warmshelf.trial.MovableTime;
import java.time.Duration;
import java.util.AbstractCollection;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import java.util.stream.IntStream;
import java.util.stream.Stream;
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
    long own = board.tickOwn(changes(PORT), Footprint.of(PORT), fence);
    assertThat(board.isFresh(Footprint.of(PORT), fence)).isFalse();
    assertThat(board.isFresh(Footprint.of(PORT), fence, own)).isTrue();
    board.tick(List.of(PORT));
    assertThat(board.isFresh(Footprint.of(PORT), fence, own)).isFalse();
  }

  @Test
  void anOwnWriteIsOvertakenByAnyChangeToItsAnswersLanesSinceTheFence() {
    long fence = board.lastTick();
    board.tick(List.of(ROUTE));
    assertThat(board.tickOwn(changes(PORT, ROUTE), Footprint.of(PORT), fence)).isPositive();
    assertThat(board.tickOwn(changes(PORT, ROUTE), Footprint.of(ROUTE), fence))
        .isEqualTo(Board.OVERTAKEN);
  }

  @Test
  void aTickThatTookItsNumberBeforeAnOwnWriteAndCameAfterItIsNotHidden() {
    long fence = board.lastTick();
    long[] own = new long[1];
    Collection<Lane> slow =
        new AbstractCollection<>() {
          private int rounds;

          @Override
          public Iterator<Lane> iterator() {
            if (++rounds == 2) { // first their tables are looked for, then they are ticked
              own[0] = board.tickOwn(changes(PORT), Footprint.of(PORT), fence);
            }
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
  void heldLanesAreExactHoweverManyOthersShareTheirStamps() {
    Board crowded = new Board(1);
    HeldLanes held = crowded.hold(Footprint.of(PORT));
    long fence = crowded.lastTick();
    crowded.tick(List.of(ROUTE));
    assertThat(crowded.isFresh(Footprint.of(PORT), fence)).isFalse();
    assertThat(crowded.isFresh(held, fence, fence, 0)).isTrue();
    crowded.tick(List.of(PORT));
    assertThat(crowded.isFresh(held, fence, fence, 0)).isFalse();
    assertThat(crowded.isFresh(held, crowded.lastTick(), crowded.lastTick(), 0)).isTrue();
  }

  @Test
  void lanesHeldAfterAChangeKnowIt() {
    long fence = board.lastTick();
    board.tick(List.of(PORT));
    HeldLanes held = board.hold(Footprint.of(PORT));
    assertThat(board.isFresh(held, fence, fence, 0)).isFalse();
    board.tickEverything();
    long later = board.lastTick();
    assertThat(board.isFresh(held, fence, later, 0)).as("the fence is below the floor").isFalse();
  }

  /** Whatever is ticked in whatever order, held lanes say what a map of lanes would. */
  @Test
  void heldLanesAgreeWithAMapAndTheArrayNeverSaysFreshWhereItDoesNot() {
    SplittableRandom random = new SplittableRandom(5);
    for (int round = 0; round < 300; round++) {
      Board crowded = new Board(1 << random.nextInt(4));
      Map<Lane, Long> last = new HashMap<>();
      List<Kept> kept = new ArrayList<>();
      for (int step = 0; step < 60; step++) {
        Lane lane = lane(random);
        Footprint footprint = Footprint.of(lane(random), lane(random));
        switch (random.nextInt(3)) {
          case 0 -> last.put(lane, crowded.tick(List.of(lane)));
          case 1 -> {
            HeldLanes held = crowded.hold(footprint);
            kept.add(new Kept(footprint, held, crowded.lastTick(), 0));
          }
          default -> {
            HeldLanes held = crowded.hold(footprint);
            long fence = crowded.lastTick();
            long own = crowded.tickOwn(changes(lane), footprint, fence);
            if (own != Board.OVERTAKEN) {
              last.put(lane, own);
              kept.add(new Kept(footprint, held, fence, own));
            }
          }
        }
        for (Kept each : kept) {
          boolean fresh =
              each.footprint().lanes().stream()
                  .mapToLong(read -> last.getOrDefault(read, 0L))
                  .allMatch(tick -> tick <= each.fence() || tick == each.own());
          assertThat(crowded.isFresh(each.held(), each.fence(), each.fence(), each.own()))
              .isEqualTo(fresh);
          if (crowded.isFresh(each.footprint(), each.fence(), each.own())) {
            assertThat(fresh).isTrue();
          }
        }
      }
    }
  }

  private record Kept(Footprint footprint, HeldLanes held, long fence, long own) {}

  private static Lane lane(SplittableRandom random) {
    return Lane.ofTable("public", "t" + random.nextInt(6));
  }

  /** Ten seconds of 10,000 commits a second that touch two groups each, none of them ours. */
  @Test
  void whatIsKeptStaysFreshAtAnyRateOfOtherChanges() {
    Footprint two = Footprint.of(groups("two", 2));
    Footprint many = Footprint.of(groups("many", 500));
    HeldLanes heldTwo = board.hold(two);
    HeldLanes heldMany = board.hold(many);
    long fence = board.lastTick();
    List<Lane> others = groups("other", 200_000);
    for (int i = 0; i < others.size(); i += 2) {
      board.tick(others.subList(i, i + 2));
    }
    assertThat(board.isFresh(heldTwo, fence, fence, 0)).isTrue();
    assertThat(board.isFresh(heldMany, fence, fence, 0)).isTrue();
    assertThat(board.isFresh(many, fence)).as("by the array alone").isFalse();
    board.tick(List.of(many.lanes().get(250)));
    assertThat(board.isFresh(heldMany, fence, fence, 0)).isFalse();
  }

  private static List<Lane> groups(String name, int count) {
    return IntStream.range(0, count).mapToObj(i -> PORT.group(name + "=" + i)).toList();
  }

  @Test
  void lanesThatNobodyHoldsAnyMoreAreForgotten() {
    for (int i = 0; i < 1_000; i++) {
      board.hold(Footprint.of(Lane.ofTable("public", "t" + i)));
    }
    for (int tries = 0; tries < 100 && board.heldLanes() > 1; tries++) {
      System.gc();
      board.hold(Footprint.of(PORT));
    }
    assertThat(board.heldLanes()).isLessThanOrEqualTo(10);
  }

  private static List<Change> changes(Lane... tables) {
    return Stream.of(tables).map(Change::atLarge).toList();
  }

  @Test
  void aSecondLookFindsTheChangesThatTouchAnAnswerAndNoOthers() {
    long fence = board.lastTick();
    board.tickChanges(List.of(moved("7", "9")));
    board.tickChanges(changes(ROUTE));
    assertThat(board.lookBack(portsOf("3"), fence, 0, 100_000).findsNothing()).isTrue();
    assertThat(board.lookBack(portsOf("3"), fence, 0, 100_000).through())
        .isEqualTo(board.lastTick());
    assertThat(board.lookBack(portsOf("3"), fence, 0, 1).findsNothing()).isTrue();
    assertThat(board.lookBack(portsOf("3"), fence, 0, 0).isComplete()).isFalse();
    assertThat(board.lookBack(portsOf("7"), fence, 0, 100_000).touching()).hasSize(1);
    assertThat(board.lookBack(portsOf("9"), fence, 0, 100_000).touching()).hasSize(1);
    assertThat(board.lookBack(portsOf("9"), board.lastTick(), 0, 100_000).findsNothing()).isTrue();
  }

  @Test
  void aTickOfATableByHandTouchesEveryAnswerFromIt() {
    long fence = board.lastTick();
    board.tick(List.of(PORT, PORT.atLarge()));
    assertThat(board.lookBack(portsOf("3"), fence, 0, 100_000).findsNothing()).isFalse();
  }

  @Test
  void theTrailForgetsTheOldestAndSaysSo() {
    long fence = board.lastTick();
    board.tickChanges(List.of(moved("7", "9")));
    long later = board.lastTick();
    for (int i = 0; i < Trail.MOST_CHANGES; i++) {
      board.tickChanges(List.of(moved("5", "6")));
    }
    assertThat(board.lookBack(portsOf("3"), fence, 0, 100_000).findsNothing()).isFalse();
    assertThat(board.lookBack(portsOf("3"), later, 0, 100_000).findsNothing()).isTrue();
  }

  @Test
  void theTrailIsBoundedInRowsToo() {
    List<ChangedRow> many = new ArrayList<>();
    for (int i = 0; i < Trail.MOST_ROWS / 4; i++) {
      many.add(new ChangedRow(List.of("region"), "other"));
    }
    long fence = board.lastTick();
    for (int i = 0; i < 4; i++) {
      board.tickChanges(List.of(change(many)));
    }
    assertThat(board.lookBack(portsOf("3"), fence, 0, 100_000).findsNothing()).isTrue();
    board.tickChanges(List.of(moved("5", "6")));
    assertThat(board.lookBack(portsOf("3"), fence, 0, 100_000).findsNothing()).isFalse();
  }

  @Test
  void whatWasFoundUntouchedIsFreshAgainButForLanesThatAreNoTables() {
    Footprint footprint = Footprint.of(PORT, Lane.ofTag("ours"));
    long fence = board.lastTick();
    board.tickChanges(List.of(moved("7", "9")));
    long through = board.lookBack(portsOf("3"), fence, 0, 100_000).through();
    assertThat(board.isFresh(footprint, fence, fence, 0)).isFalse();
    assertThat(board.isFresh(footprint, fence, through, 0)).isTrue();
    board.tick(List.of(Lane.ofTag("ours")));
    assertThat(board.isFresh(footprint, fence, board.lastTick(), 0)).isFalse();
  }

  private static Change moved(String from, String to) {
    return change(
        List.of(new ChangedRow(List.of("region"), from), new ChangedRow(List.of("region"), to)));
  }

  private static Change change(List<ChangedRow> rows) {
    return new Change(
        "1", PORT, Optional.ofNullable(rows), Optional.empty(), "UPDATE", Duration.ZERO);
  }

  private static Interest portsOf(String region) {
    InterestPlan.Pinned pinned =
        new InterestPlan.Pinned(ColumnKind.TEXT, List.of(new Source.Constant(region)));
    return new InterestPlan(
            Map.of(PORT, Set.of("name", "region")),
            List.of(new InterestPlan.PlaceRead(PORT, Map.of("region", pinned), Map.of())))
        .of(new Object[0], NO_ROWS);
  }

  private static final FootprintPlan.Rows NO_ROWS =
      new FootprintPlan.Rows() {
        @Override
        public int size() {
          return 0;
        }

        @Override
        public Object value(int row, int column) {
          throw new IndexOutOfBoundsException(row);
        }
      };

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
