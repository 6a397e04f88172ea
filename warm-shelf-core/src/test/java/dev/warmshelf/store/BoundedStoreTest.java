package dev.warmshelf.store;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.store.Fill.Life;
import dev.warmshelf.store.Fill.Renewable;
import dev.warmshelf.trial.MovableTime;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

class BoundedStoreTest {
  private static final long MILLI = 1_000_000;
  private static final long PLENTY = 1 << 30;

  private final MovableTime time = new MovableTime();
  private final List<Entry> left = new ArrayList<>();
  private final Set<Entry> out = new HashSet<>();
  private final Keeper keeper =
      new Keeper() {
        @Override
        public boolean isOut(Entry entry) {
          return out.contains(entry);
        }

        @Override
        public void left(Entry entry) {
          left.add(entry);
        }
      };

  @Test
  void whatSavesTheLeastTimeForItsSizeLeavesFirst() {
    BoundedStore store = store(4, Leaving.LEAST_TIME_SAVED);
    Entry dear = keep(store, 1, 500, 10);
    Entry cheap = keep(store, 2, 5, 10);
    Entry often = keep(store, 3, 5, 10);
    Entry large = keep(store, 4, 500, 100_000);
    for (int i = 0; i < 20; i++) {
      pass(100);
      for (Entry each : List.of(dear, cheap, large)) {
        if (i % 10 == 0) {
          use(each);
        }
      }
      use(often);
    }
    for (int id = 5; id < 8; id++) { // as dear as the first, and new
      keep(store, id, 500, 10);
      pass(1);
    }
    assertThat(left).containsExactly(large, cheap, often);
  }

  @Test
  void whatWasAskedForOftenIsKnownWhenItComesBack() {
    BoundedStore store = store(2, Leaving.LEAST_TIME_SAVED);
    Entry often = keep(store, 1, 10, 10);
    for (int i = 0; i < 30; i++) {
      pass(20);
      use(often);
    }
    store.remove(often);
    Entry other = keep(store, 2, 10, 10);
    pass(300);
    Entry again = keep(store, 1, 10, 10);
    pass(300);
    keep(store, 3, 10, 10);
    assertThat(left).containsExactly(other);
    assertThat(store.get(again.key())).isSameAs(again);
  }

  @Test
  void whatCanBeOfNoUseAnyMoreLeavesBeforeAllOthers() {
    BoundedStore store = store(3, Leaving.LEAST_TIME_SAVED);
    Entry dear = keep(store, 1, 10_000, 1);
    keep(store, 2, 1, 1);
    keep(store, 3, 1, 1);
    out.add(dear);
    keep(store, 4, 1, 1);
    assertThat(left).containsExactly(dear);
  }

  @Test
  void eachOrderHasAnotherVictim() {
    Map<Leaving, Integer> expected = new HashMap<>();
    expected.put(Leaving.LONGEST_UNUSED, 2);
    expected.put(Leaving.LEAST_OFTEN_USED, 1);
    expected.put(Leaving.CHEAPEST_TO_LOAD, 3);
    expected.put(Leaving.NEXT_TO_EXPIRE, 4);
    expected.put(Leaving.ONLY_EXPIRING, 4);
    expected.forEach(
        (leaving, victim) -> {
          left.clear();
          BoundedStore store = store(4, leaving);
          Entry seldom = keep(store, entry(1, 50, 1, Life.WITHOUT_END));
          Entry unused = keep(store, entry(2, 50, 1, life(9_000)));
          Entry cheap = keep(store, entry(3, 1, 1, life(9_000)));
          Entry expiring = keep(store, entry(4, 50, 1, life(2_000)));
          for (int i = 0; i < 5; i++) {
            pass(100);
            List.of(unused, cheap, expiring).forEach(this::use);
          }
          for (int i = 0; i < 5; i++) {
            pass(100);
            List.of(cheap, expiring).forEach(this::use);
          }
          use(seldom);
          keep(store, entry(5, 50, 1, Life.WITHOUT_END));
          assertThat(left).as("%s", leaving).hasSize(1);
          assertThat(left.get(0).value()).as("%s", leaving).isEqualTo(valueOf(victim, 1));
        });
  }

  @Test
  void whereNothingMayLeaveWhatIsNewIsNotKept() {
    BoundedStore store = store(2, Leaving.ONLY_EXPIRING);
    assertThat(store.put(entry(1, 1, 1, Life.WITHOUT_END))).isTrue();
    assertThat(store.put(entry(2, 1, 1, Life.WITHOUT_END))).isTrue();
    assertThat(store.put(entry(3, 1, 1, life(10)))).isFalse();
    assertThat(store.size()).isEqualTo(2);
    assertThat(left).isEmpty();
  }

  @Test
  void anAnswerTooLargeForItsShareIsNotKept() {
    Room room = new Room(100_000, 1_000, 10_000, Leaving.LEAST_TIME_SAVED, time);
    BoundedStore store = new BoundedStore(room, keeper);
    Entry small = keep(store, 1, 1, 100);
    assertThat(store.put(entry(2, 1_000, 20_000, Life.WITHOUT_END))).isFalse();
    assertThat(store.get(small.key())).isSameAs(small);
    assertThat(left).isEmpty();
  }

  @Test
  void twoStoresShareOneRoom() {
    Room room = new Room(PLENTY, 10, PLENTY, Leaving.LONGEST_UNUSED, time);
    BoundedStore one = new BoundedStore(room, keeper);
    BoundedStore other = new BoundedStore(room, keeper);
    for (int id = 0; id < 8; id++) {
      keep(one, id, 1, 1);
      pass(1);
    }
    for (int id = 0; id < 8; id++) {
      keep(other, id, 1, 1);
      pass(1);
    }
    assertThat(one.size()).isEqualTo(2);
    assertThat(other.size()).isEqualTo(8);
    assertThat(left).hasSize(6);
  }

  @Test
  void replacingUnderTheSameKeyEvictsNobody() {
    BoundedStore store = store(2, Leaving.LEAST_TIME_SAVED);
    for (int i = 0; i < 1000; i++) {
      Entry first = keep(store, 1, 1, 1);
      Entry second = keep(store, 2, 1, 1);
      assertThat(store.get(first.key())).isSameAs(first);
      assertThat(store.remove(second)).isTrue();
      assertThat(store.remove(second)).isFalse();
    }
    assertThat(left).isEmpty();
    assertThat(store.size()).isEqualTo(1);
  }

  @Test
  void removingAnEntryThatWasReplacedLeavesItsSuccessor() {
    BoundedStore store = store(2, Leaving.LEAST_TIME_SAVED);
    Entry before = keep(store, 1, 1, 1);
    Entry after = keep(store, 1, 1, 1);
    assertThat(store.remove(before)).isFalse();
    assertThat(store.get(after.key())).isSameAs(after);
  }

  @Test
  void agreesWithAPlainMapAsLongAsThereIsRoomAndCountsItsBytes() {
    Room room = new Room(PLENTY, 1_000, PLENTY, Leaving.LEAST_TIME_SAVED, time);
    BoundedStore store = new BoundedStore(room, keeper);
    Map<Key, Entry> oracle = new HashMap<>();
    Random random = new Random(7);
    for (int step = 0; step < 20_000; step++) {
      Entry entry = entry(random.nextInt(900), 1, random.nextInt(100), Life.WITHOUT_END);
      if (random.nextInt(3) == 0) {
        Entry there = oracle.remove(entry.key());
        assertThat(there != null && store.remove(there)).isEqualTo(there != null);
      } else {
        store.put(entry);
        oracle.put(entry.key(), entry);
      }
      assertThat(store.get(entry.key())).isSameAs(oracle.get(entry.key()));
    }
    assertThat(store.size()).isEqualTo(oracle.size());
    assertThat(room.bytes()).isEqualTo(oracle.values().stream().mapToLong(Entry::bytes).sum());
    assertThat(left).isEmpty();
  }

  @Tag("thorough")
  @Test
  void theBoundsHoldAtEveryMomentUnderConcurrentUse() throws Exception {
    long bytes = 200_000;
    Room room = new Room(bytes, 50, bytes, Leaving.LONGEST_UNUSED, time);
    AtomicLong held = new AtomicLong();
    BoundedStore store =
        new BoundedStore(
            room,
            new Keeper() {
              @Override
              public boolean isOut(Entry entry) {
                return false;
              }

              @Override
              public void left(Entry entry) {
                held.decrementAndGet();
              }
            });
    ExecutorService pool = Executors.newFixedThreadPool(4);
    try {
      List<Future<Integer>> largest = new ArrayList<>();
      for (int t = 0; t < 4; t++) {
        Random random = new Random(t);
        largest.add(pool.submit(() -> useAtRandom(store, room, random, bytes)));
      }
      for (Future<Integer> most : largest) {
        assertThat(most.get()).isLessThanOrEqualTo(50);
      }
    } finally {
      pool.shutdownNow();
    }
    pass(1); // all that is there was used before, be it as large as it may
    for (int i = 0; i < 200; i++) {
      keep(store, 1_000 + i, 1, 1); // each of these finds its way in and out
    }
    assertThat(store.size()).isEqualTo(50);
    assertThat(held.get()).isNegative();
    long sum = 0;
    List<Entry> all = new ArrayList<>();
    store.forEach(all::add);
    for (Entry entry : all) {
      sum += entry.bytes();
    }
    assertThat(room.bytes()).isEqualTo(sum).isLessThanOrEqualTo(bytes);
  }

  private int useAtRandom(BoundedStore store, Room room, Random random, long bytes) {
    int most = 0;
    for (int i = 0; i < 20_000; i++) {
      Entry entry = entry(random.nextInt(200), 1, random.nextInt(20_000), Life.WITHOUT_END);
      Entry there = store.get(entry.key());
      if (there == null) {
        store.put(entry);
      } else if (random.nextInt(4) == 0) {
        store.remove(there);
      } else {
        there.use(i);
      }
      most = Math.max(most, store.size());
      assertThat(room.bytes()).isLessThanOrEqualTo(bytes);
    }
    return most;
  }

  @Test
  void roomForNothingIsRefused() {
    assertThatThrownBy(() -> store(0, Leaving.ANY))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessageContaining("0");
  }

  private BoundedStore store(long entries, Leaving leaving) {
    return new BoundedStore(new Room(PLENTY, entries, PLENTY, leaving, time), keeper);
  }

  private void pass(long millis) {
    time.pass(Duration.ofMillis(millis));
  }

  private void use(Entry entry) {
    entry.use(time.coarseNanos());
  }

  private Entry keep(Store store, int id, long loadMillis, int size) {
    return keep(store, entry(id, loadMillis, size, Life.WITHOUT_END));
  }

  private static Entry keep(Store store, Entry entry) {
    assertThat(store.put(entry)).isTrue();
    return entry;
  }

  private static Life life(long millis) {
    return new Life(millis * MILLI, Long.MAX_VALUE);
  }

  private static String valueOf(int id, int size) {
    return id + "x".repeat(size);
  }

  private Entry entry(int id, long loadMillis, int size, Life life) {
    Key key = Key.of(KeyShape.of("test", "q"), new String[] {"id"}, new Object[] {id});
    long now = time.nanos();
    Fence fence = new Fence(0, now - loadMillis * MILLI);
    Fill fill = new Fill(fence, 0, now, life, Renewable.NOT);
    return new Entry(key, valueOf(id, size), Footprint.NOTHING, fill);
  }
}
