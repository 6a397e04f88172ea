package dev.warmshelf.store;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Footprint;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.junit.jupiter.api.Test;

class BoundedStoreTest {
  private final List<Entry> evicted = new ArrayList<>();

  @Test
  void theOldestUnusedEntryLeavesFirst() {
    BoundedStore store = new BoundedStore(3, evicted::add);
    Entry a = put(store, 1);
    Entry b = put(store, 2);
    Entry c = put(store, 3);
    put(store, 4); // all were new: one round makes them old, and the oldest goes
    assertThat(evicted).containsExactly(a);
    b.use();
    put(store, 5);
    assertThat(evicted).containsExactly(a, c);
    assertThat(store.get(b.key())).isSameAs(b);
  }

  @Test
  void aNewEntryIsNotSacrificedToKeepOldOnes() {
    BoundedStore store = new BoundedStore(2, evicted::add);
    put(store, 1).use();
    put(store, 2).use();
    Entry young = put(store, 3);
    assertThat(store.get(young.key())).isSameAs(young);
  }

  @Test
  void replacingUnderTheSameKeyEvictsNobody() {
    BoundedStore store = new BoundedStore(2, evicted::add);
    for (int i = 0; i < 1000; i++) {
      Entry first = put(store, 1);
      Entry second = put(store, 2);
      assertThat(store.get(first.key())).isSameAs(first);
      assertThat(store.remove(second)).isTrue();
      assertThat(store.remove(second)).isFalse();
    }
    assertThat(evicted).isEmpty();
    assertThat(store.size()).isEqualTo(1);
  }

  @Test
  void removingAnEntryThatWasReplacedLeavesItsSuccessor() {
    BoundedStore store = new BoundedStore(2, evicted::add);
    Entry before = put(store, 1);
    Entry after = put(store, 1);
    assertThat(store.remove(before)).isFalse();
    assertThat(store.get(after.key())).isSameAs(after);
  }

  @Test
  void agreesWithAPlainMapAsLongAsThereIsRoom() {
    BoundedStore store = new BoundedStore(1_000, evicted::add);
    Map<Key, Entry> oracle = new HashMap<>();
    Random random = new Random(7);
    for (int step = 0; step < 20_000; step++) {
      Entry entry = entry(random.nextInt(900));
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
    assertThat(evicted).isEmpty();
  }

  @Test
  void theBoundHoldsUnderConcurrentUse() throws Exception {
    BoundedStore store = new BoundedStore(50, e -> {});
    ExecutorService pool = Executors.newFixedThreadPool(4);
    try {
      List<Future<Integer>> largest = new ArrayList<>();
      for (int t = 0; t < 4; t++) {
        Random random = new Random(t);
        largest.add(
            pool.submit(
                () -> {
                  int most = 0;
                  for (int i = 0; i < 20_000; i++) {
                    Entry entry = entry(random.nextInt(200));
                    Entry there = store.get(entry.key());
                    if (there == null) {
                      store.put(entry);
                    } else if (random.nextInt(4) == 0) {
                      store.remove(there);
                    } else {
                      there.use();
                    }
                    most = Math.max(most, store.size());
                  }
                  return most;
                }));
      }
      for (Future<Integer> most : largest) {
        // A writer adds before it evicts, so others may see one more than the bound, never two.
        assertThat(most.get()).isLessThanOrEqualTo(51);
      }
    } finally {
      pool.shutdownNow();
    }
    assertThat(store.size()).isLessThanOrEqualTo(50);
    for (int i = 0; i < 100; i++) {
      store.put(
          entry(1_000 + i)); // the list is still whole: each of these finds its way in and out
    }
    assertThat(store.size()).isEqualTo(50);
    assertThat(store.get(entry(1_099).key())).isNotNull();
    assertThat(store.get(entry(1_000).key())).isNull();
  }

  @Test
  void aBoundBelowOneIsRefused() {
    assertThatThrownBy(() -> new BoundedStore(0, e -> {}))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessageContaining("0");
  }

  private static Entry put(Store store, int id) {
    Entry entry = entry(id);
    store.put(entry);
    return entry;
  }

  private static Entry entry(int id) {
    Key key = Key.of(KeyShape.of("test", "q"), new String[] {"id"}, new Object[] {id});
    return new Entry(key, id, Footprint.NOTHING, new Fill(new Fence(0, 0), 0, 0, Long.MAX_VALUE));
  }
}
