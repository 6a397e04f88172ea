package dev.warmshelf.store;

import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.time.TimeSource;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Objects;
import java.util.concurrent.ThreadLocalRandom;
import org.jspecify.annotations.Nullable;

/**
 * Room for entries, bounded in bytes and in number, which one store has for itself or several
 * share.
 *
 * <p><b>The invariant.</b> An entry is put into its store's map under the room's lock, and only if
 * it fits there at that moment; so what the stores hold together never exceeds the bound, whatever
 * number of threads fill them.
 *
 * <p><b>What leaves</b> is chosen among a sample of {@value #SAMPLE}: no list must be kept in
 * order, so a read writes nothing here, and the cost of making room does not depend on how many
 * entries there are. Those that were nearly chosen are looked at again the next time, so the choice
 * is better than one sample's (Psounis and Prabhakar, "Efficient Randomized Web-Cache Replacement
 * Schemes Using Samples From Past Eviction Times", 2002). Which is worth least, {@link Leaving}
 * says; what may be served no more goes before all others. What is new is weighed, too: if it is
 * worth less than all of the sample, it is not kept, but remembered.
 *
 * <p>Thread-safe, by one lock that is held for moments; no reader takes it.
 */
public final class Room {
  /** So many entries are looked at to choose one. */
  static final int SAMPLE = 24;

  /** So many of them are looked at again the next time. */
  private static final int CARRIED = 8;

  /** So many leave by one look at a sample, if that many must. */
  private static final int MOST_OF_A_SAMPLE = 8;

  private static final int LEFT_AVERAGED = 64;
  private static final long BYTES_PER_REMEMBERED = 2048;
  private static final int LEAST_REMEMBERED = 1 << 14;
  private static final int MOST_REMEMBERED = 1 << 18;

  private final long bytesBound;
  private final long entriesBound;
  private final long largest;
  private final Leaving leaving;
  private final TimeSource time;
  private final Object lock = new Object();

  // All that follows is guarded by the lock.
  private final Slots leavable = new Slots();
  private final Slots staying = new Slots();
  private final Remembered remembered;
  private final List<Slot> candidates = new ArrayList<>(SAMPLE);
  private long bytes;

  /** How long entries had not been used that left, on average of the last ones. */
  private long unusedNanos;

  /** An entry in its place. */
  static final class Slot {
    final Entry entry;
    final long bytes;
    final BoundedStore store;
    final Uses uses;

    /** Its place among its like; -1 once it has left. Guarded by the room's lock. */
    int place = -1;

    Slot(Entry entry, long bytes, BoundedStore store, Uses uses) {
      this.entry = entry;
      this.bytes = bytes;
      this.store = store;
      this.uses = uses;
    }
  }

  /**
   * Empty room.
   *
   * @param bytes how many bytes the entries may take together, about
   * @param entries how many there may be
   * @param largest how many bytes one may take
   * @throws IllegalArgumentException if one of these is less than 1
   */
  public Room(long bytes, long entries, long largest, Leaving leaving, TimeSource time) {
    if (bytes < 1 || entries < 1 || largest < 1) {
      throw new IllegalArgumentException(
          "A store must have room for at least 1 entry and 1 byte, but was given room for "
              + entries
              + " of "
              + bytes
              + " bytes together, each of at most "
              + largest
              + ".");
    }
    this.bytesBound = bytes;
    this.entriesBound = entries;
    this.largest = Math.min(largest, bytes);
    this.leaving = Objects.requireNonNull(leaving, "leaving");
    this.time = Objects.requireNonNull(time, "time");
    long wanted = Math.min(entries, bytes / BYTES_PER_REMEMBERED);
    long bounded = Math.max(LEAST_REMEMBERED, Math.min(wanted, MOST_REMEMBERED));
    this.remembered = new Remembered(Integer.highestOneBit((int) bounded));
  }

  /** How many bytes the entries take just now, about. */
  public long bytes() {
    synchronized (lock) {
      return bytes;
    }
  }

  /** How many bytes they may take. */
  public long bytesBound() {
    return bytesBound;
  }

  /** How many bytes one may take. */
  public long largest() {
    return largest;
  }

  /** Puts an entry into a store, in place of any other under its key; false if it cannot be. */
  boolean put(BoundedStore store, Entry entry) {
    long needed = entry.bytes();
    if (needed > largest) {
      return false;
    }
    while (true) {
      synchronized (lock) {
        Slot before = store.slots.get(entry.key());
        Slot slot = new Slot(entry, needed, store, usesOf(entry, before));
        if (fits(needed, before)) {
          replace(before, slot);
          return true;
        } else if (leavable.size() == 0) {
          return false;
        }
        if (!evictSome(needed, slot)) {
          remembered.note(entry.key().hashCode(), slot.uses);
          return false;
        }
      } // in between other threads have their turn
    }
  }

  private boolean fits(long needed, @Nullable Slot before) {
    return before == null
        ? bytes + needed <= bytesBound && size() < entriesBound
        : bytes - before.bytes + needed <= bytesBound;
  }

  private int size() {
    return leavable.size() + staying.size();
  }

  private void replace(@Nullable Slot before, Slot slot) {
    if (before != null) {
      takeOut(before);
    }
    bytes += slot.bytes;
    slot.store.bytes.addAndGet(slot.bytes);
    likesOf(slot.entry).add(slot);
    slot.store.slots.put(slot.entry.key(), slot);
  }

  /** What is known of the uses of a key: from the entry before, or one that has left. */
  private Uses usesOf(Entry entry, @Nullable Slot before) {
    long now = time.coarseNanos();
    if (before != null) {
      return before.uses.with(before.entry, now).andOneMore();
    }
    Uses known = remembered.find(entry.key().hashCode());
    return known == null ? new Uses(1, now) : known.andOneMore();
  }

  /** Takes exactly this entry out of its store; whether it was there. */
  boolean remove(BoundedStore store, Entry entry) {
    synchronized (lock) {
      Slot slot = store.slots.get(entry.key());
      if (slot == null || slot.entry != entry) {
        return false;
      }
      leave(slot);
      return true;
    }
  }

  private void leave(Slot slot) {
    takeOut(slot);
    slot.store.slots.remove(slot.entry.key());
    remembered.note(slot.entry.key().hashCode(), slot.uses.with(slot.entry, time.coarseNanos()));
  }

  private void takeOut(Slot slot) {
    likesOf(slot.entry).remove(slot);
    bytes -= slot.bytes;
    slot.store.bytes.addAndGet(-slot.bytes);
  }

  private Slots likesOf(Entry entry) {
    return Ranking.mayLeave(leaving, entry) ? leavable : staying;
  }

  /**
   * Has some of a sample leave: those worth least, and no more than must.
   *
   * @return false if what is to be put in is worth less than all of them
   */
  private boolean evictSome(long needed, Slot in) {
    long now = time.coarseNanos();
    sample();
    int count = candidates.size();
    Ranked[] ranked = new Ranked[count];
    for (int i = 0; i < count; i++) {
      Slot slot = candidates.get(i);
      ranked[i] = new Ranked(slot, worth(slot, now));
    }
    Arrays.sort(ranked);
    if (Ranking.weighsWhatIsNew(leaving) && worth(in, now) < ranked[0].worth()) {
      candidates.clear();
      return false;
    }
    candidates.clear();
    int left = 0;
    while (left < Math.min(count, MOST_OF_A_SAMPLE) && !fits(needed, null)) {
      Slot slot = ranked[left++].slot();
      long unused = now - slot.entry.usedAtNanos();
      unusedNanos += (unused - unusedNanos) / LEFT_AVERAGED;
      leave(slot);
      slot.store.keeper.left(slot.entry);
    }
    for (int i = left; i < Math.min(count, left + CARRIED); i++) {
      candidates.add(ranked[i].slot());
    }
    return true;
  }

  private double worth(Slot slot, long now) {
    return slot.store.keeper.isOut(slot.entry)
        ? Double.NEGATIVE_INFINITY
        : Ranking.worth(leaving, slot, now, unusedNanos);
  }

  private record Ranked(Slot slot, double worth) implements Comparable<Ranked> {
    @Override
    public int compareTo(Ranked other) {
      return Double.compare(worth, other.worth);
    }
  }

  /** Those that were nearly chosen the last time and are still here, and others at random. */
  private void sample() {
    if (leavable.size() <= SAMPLE) {
      candidates.clear();
      for (int i = 0; i < leavable.size(); i++) {
        candidates.add(leavable.get(i));
      }
      return;
    }
    candidates.removeIf(slot -> slot.place < 0);
    ThreadLocalRandom random = ThreadLocalRandom.current();
    while (candidates.size() < SAMPLE) {
      Slot slot = leavable.get(random.nextInt(leavable.size()));
      if (!candidates.contains(slot)) {
        candidates.add(slot);
      }
    }
  }
}
