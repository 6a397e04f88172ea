package dev.warmshelf.spi.feed;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.delivery.Delivery;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.trial.MovableTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.OptionalLong;
import java.util.Random;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;

/**
 * Several processes that follow one database and give each other answers, step by step in random
 * order: what one takes over lacks no change that its feed has told of, nor one of its own.
 */
class PlaceHistoryTest {
  private static final int SEEDS = 150;
  private static final int STEPS = 1_500;
  private static final int FOLLOWERS = 3;
  private static final int LANES = 4;
  private static final int PLACES = 6;

  private static Receiver receiver(Board board) {
    return new Delivery(board, new MovableTime(), new FeedMeters(), cleared -> {});
  }

  /** What a mistake would be; each must be found. */
  private enum Mistake {
    NONE,
    /** The tick beside a place is the last, though something has been ticked before it was told. */
    UNTOLD_COMMITS_FORGOTTEN,
    /** What a process tells itself, ahead of its feed, is ticked as if the feed had told it. */
    AHEAD_NOT_COUNTED,
    /** An answer's place is read after it was found fresh. */
    PLACE_AFTER_THE_CHECK,
    /** Nobody looks whether an answer is fresh before it is given to others. */
    NO_CHECK,
    /** Of places only the ends are compared: transactions that were open do not count. */
    ENDS_ALONE,
    /** The newest place is taken, whether or not it is covered. */
    NEWEST_PLACE
  }

  private record Transaction(int number, Set<Integer> lanes) {}

  /** What a load has seen. */
  private record Loaded(int lane, long fence, Set<Integer> seen) {}

  private record Put(Loaded answer, FeedPlace place) {}

  private static final class Follower {
    private Board board = new Board(1 << 10);
    private Receiver receiver = receiver(board);
    private PlaceHistory history = new PlaceHistory(PLACES);
    private Set<Integer> told = new TreeSet<>();
    private final Set<Integer> own = new HashSet<>();
    private final Set<Integer> toldItself = new HashSet<>();
    private final List<Loaded> held = new ArrayList<>();
    private @Nullable Set<Integer> looking;
    private PlaceHistory.@Nullable Before before;
    private @Nullable Loaded loading;
    private @Nullable Loaded checked;
  }

  /** One run. */
  private static final class World {
    private final Random random;
    private final Mistake mistake;
    private final List<Transaction> open = new ArrayList<>();
    private final Map<Integer, Transaction> ended = new HashMap<>();
    private final Set<Integer> committed = new TreeSet<>();
    private final Map<Integer, Put> store = new HashMap<>();
    private final List<Set<Integer>> noted = new ArrayList<>();
    private final Follower[] processes = new Follower[FOLLOWERS];
    private int numbers;
    private int taken;

    World(long seed, Mistake mistake) {
      this.random = new Random(seed);
      this.mistake = mistake;
      for (int i = 0; i < FOLLOWERS; i++) {
        processes[i] = new Follower();
        begin(processes[i], committed);
      }
    }

    /** Whether all that was taken over was right. */
    boolean run() {
      for (int i = 0; i < STEPS; i++) {
        Follower process = processes[random.nextInt(FOLLOWERS)];
        boolean right =
            switch (random.nextInt(12)) {
              case 0 -> write();
              case 1 -> commit(null);
              case 2 -> random.nextInt(3) > 0 || commit(process);
              case 3, 4 -> look(process);
              case 5, 6 -> load(process);
              case 7, 8 -> put(process);
              case 9, 10 -> take(process);
              default -> random.nextInt(40) > 0 || restart(process);
            };
        if (!right) {
          return false;
        }
      }
      return true;
    }

    private boolean write() {
      if (open.size() < 3) {
        open.add(new Transaction(++numbers, Set.of(random.nextInt(LANES))));
      }
      return true;
    }

    /** Of somebody; or of a process, which then puts everything out, or what it has changed. */
    private boolean commit(@Nullable Follower by) {
      if (!open.isEmpty()) {
        Transaction one = open.remove(random.nextInt(open.size()));
        ended.put(one.number(), one);
        committed.add(one.number());
        if (by != null) {
          by.own.add(one.number());
          tellItself(by, one);
        }
      }
      return true;
    }

    private void tellItself(Follower by, Transaction one) {
      List<Lane> lanes = one.lanes().stream().map(World::lane).toList();
      if (mistake == Mistake.AHEAD_NOT_COUNTED) {
        by.board.tick(lanes);
      } else if (random.nextBoolean()) {
        by.board.tickUntold();
        return;
      } else {
        List<Change> changes = lanes.stream().map(Change::atLarge).toList();
        by.board.tickAhead(changes, Footprint.NOTHING, 0);
      }
      by.toldItself.add(one.number());
    }

    private boolean look(Follower process) {
      if (process.looking == null) {
        process.before = PlaceHistory.before(process.receiver);
        process.looking = new TreeSet<>(committed);
        return true;
      }
      Set<Integer> found = process.looking;
      process.looking = null;
      if (random.nextInt(50) == 0) {
        process.board.tickEverything(); // it had lost its place
      } else {
        Set<Lane> changed = new HashSet<>();
        found.stream()
            .filter(n -> !process.told.contains(n) && !process.toldItself.contains(n))
            .forEach(n -> ended.get(n).lanes().forEach(lane -> changed.add(lane(lane))));
        process.board.tick(changed);
      }
      process.told = found;
      PlaceHistory.Before before = Objects.requireNonNull(process.before, "it looks");
      boolean forgets = mistake == Mistake.UNTOLD_COMMITS_FORGOTTEN;
      process.history.add(
          place(found), forgets ? process.board.lastTick() : before.tick(process.receiver));
      noted.add(found);
      return true;
    }

    private boolean load(Follower process) {
      Loaded loading = process.loading;
      if (loading == null) {
        long fence = process.board.lastTick();
        process.loading = new Loaded(random.nextInt(LANES), fence, Set.of());
      } else {
        process.held.add(
            new Loaded(loading.lane(), loading.fence(), of(loading.lane(), committed)));
        process.loading = null;
      }
      return true;
    }

    private boolean put(Follower process) {
      if (mistake == Mistake.PLACE_AFTER_THE_CHECK && process.checked != null) {
        store.put(process.checked.lane(), new Put(process.checked, place(process.told)));
        process.checked = null;
      } else if (!process.held.isEmpty()) {
        Loaded answer = process.held.remove(random.nextInt(process.held.size()));
        FeedPlace place = place(process.told);
        if (mistake == Mistake.NO_CHECK || isFresh(process, answer.lane(), answer.fence())) {
          if (mistake == Mistake.PLACE_AFTER_THE_CHECK) {
            process.checked = answer;
          } else {
            store.put(answer.lane(), new Put(answer, place));
          }
        }
      }
      return true;
    }

    private boolean take(Follower process) {
      Put put = store.get(random.nextInt(LANES));
      if (put == null) {
        return true;
      }
      OptionalLong tick =
          mistake == Mistake.NEWEST_PLACE
              ? process.history.tickAt(put.place(), (whole, part) -> true)
              : process.history.tickAt(put.place(), this::covers);
      Loaded answer = put.answer();
      if (tick.isEmpty() || !isFresh(process, answer.lane(), tick.getAsLong())) {
        return true;
      }
      taken++;
      Set<Integer> known = new HashSet<>(process.told);
      known.addAll(process.own);
      return answer.seen().containsAll(of(answer.lane(), known));
    }

    private boolean restart(Follower process) {
      process.board = new Board(1 << 10);
      process.receiver = receiver(process.board);
      process.history = new PlaceHistory(PLACES);
      process.own.clear();
      process.toldItself.clear();
      process.held.clear();
      process.looking = null;
      process.loading = null;
      process.checked = null;
      boolean earlier = random.nextBoolean() && !noted.isEmpty();
      begin(process, earlier ? noted.get(random.nextInt(noted.size())) : committed);
      return true;
    }

    private static void begin(Follower process, Set<Integer> from) {
      process.told = new TreeSet<>(from);
      process.history.add(place(from), process.board.lastTick());
    }

    private static boolean isFresh(Follower process, int lane, long fence) {
      return process.board.isFresh(Footprint.of(lane(lane)), fence);
    }

    private Set<Integer> of(int lane, Set<Integer> numbers) {
      return numbers.stream()
          .filter(number -> ended.get(number).lanes().contains(lane))
          .collect(Collectors.toSet());
    }

    private boolean covers(String whole, String part) {
      if (mistake == Mistake.ENDS_ALONE) {
        return last(whole) >= last(part);
      }
      return numbers(whole).containsAll(numbers(part));
    }

    private static int last(String reached) {
      return numbers(reached).stream().mapToInt(Integer::intValue).max().orElse(0);
    }

    private static Set<Integer> numbers(String reached) {
      return reached.isEmpty()
          ? Set.of()
          : Arrays.stream(reached.split(",")).map(Integer::valueOf).collect(Collectors.toSet());
    }

    private static FeedPlace place(Set<Integer> told) {
      String all = told.stream().map(String::valueOf).collect(Collectors.joining(","));
      return new FeedPlace("simulated", all);
    }

    private static Lane lane(int number) {
      return Lane.ofTable("public", "table" + number);
    }
  }

  @ParameterizedTest
  @EnumSource
  void whatIsTakenOverLacksNothingThatWasTold(Mistake mistake) {
    int wrong = 0;
    int taken = 0;
    for (int seed = 0; seed < SEEDS && (wrong == 0 || mistake == Mistake.NONE); seed++) {
      World world = new World(seed, mistake);
      wrong += world.run() ? 0 : 1;
      taken += world.taken;
    }
    if (mistake == Mistake.NONE) {
      assertThat(wrong).isZero();
      assertThat(taken).as("enough to tell").isGreaterThan(SEEDS * 20);
    } else {
      assertThat(wrong).as("found").isPositive();
    }
  }

  @Test
  void placesOfAnotherStreamSayNothing() {
    PlaceHistory history = new PlaceHistory(4);
    history.add(new FeedPlace("one", "1"), 1);
    assertThat(history.tickAt(new FeedPlace("other", "1"), String::equals)).isEmpty();
    history.add(new FeedPlace("other", "1"), 7);
    assertThat(history.tickAt(new FeedPlace("one", "1"), String::equals)).isEmpty();
    assertThat(history.tickAt(new FeedPlace("other", "1"), String::equals)).hasValue(7);
    history.add(new FeedPlace("other", "1"), 9);
    assertThat(history.tickAt(new FeedPlace("other", "1"), String::equals)).hasValue(9);
  }

  private static boolean isLater(String whole, String part) {
    return Integer.parseInt(whole) >= Integer.parseInt(part);
  }

  @Test
  void theOldestPlaceStaysHoweverManyCome() {
    PlaceHistory history = new PlaceHistory(8);
    for (int i = 0; i < 1_000; i++) {
      history.add(new FeedPlace("one", Integer.toString(i)), i);
    }
    assertThat(history.tickAt(new FeedPlace("one", "0"), PlaceHistoryTest::isLater)).hasValue(0);
    assertThat(history.tickAt(new FeedPlace("one", "999"), PlaceHistoryTest::isLater))
        .hasValue(999);
    assertThat(history.tickAt(new FeedPlace("one", "500"), PlaceHistoryTest::isLater).getAsLong())
        .isBetween(0L, 500L);
  }

  @Test
  void aPlaceIsReadFromItsText() {
    FeedPlace place = new FeedPlace("a\nb", "1:2:");
    assertThat(FeedPlace.ofWritten(place.written())).isEqualTo(place);
  }
}
