package dev.warmshelf.fresh;

import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.time.Watermark;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.atomic.AtomicReferenceArray;
import org.jspecify.annotations.Nullable;

/**
 * The recent changes of tables, as they were told: a ring of fixed size.
 *
 * <p><b>The invariant.</b> A change gets its tick under the trail's lock, together with its place
 * in the ring, and before any stamp is raised to it. So whoever reads the board's tick under that
 * lock knows that every change with this tick or an earlier one is in the ring, or has fallen out
 * at its old end.
 *
 * <p>Thread-safe. Walks take no lock: a place holds its own number, so a walk sees when what it
 * came for has been overwritten.
 */
final class Trail {
  /** So many changes are remembered at most, a power of two. */
  static final int MOST_CHANGES = 1 << 13;

  /** So many versions of rows at most, over all of them. */
  static final int MOST_ROWS = 1 << 16;

  private final AtomicReferenceArray<@Nullable Noted> ring =
      new AtomicReferenceArray<>(MOST_CHANGES);
  private final Map<Lane, Before> newest = new ConcurrentHashMap<>();
  private long next;
  private long oldest;
  private long rows;
  private volatile long forgottenThrough;

  /**
   * A change in its place.
   *
   * @param place in the order of all that were ever noted
   * @param tick of the change
   * @param covered up to when all had been delivered by then; null for nothing
   * @param before the table's change before this, which may be forgotten by now
   */
  private record Noted(
      long place, long tick, @Nullable Watermark covered, Before before, Change change) {
    int rows() {
      return change.rows().map(List::size).orElse(0);
    }
  }

  /** Is shown a change, and up to when all had been delivered when it was noted. */
  @FunctionalInterface
  interface Visitor {
    void visit(Change change, @Nullable Watermark covered);
  }

  /** A place and the tick there. */
  private record Before(long place, long tick) {
    private static final Before NOTHING = new Before(-1, -1);
  }

  /**
   * Draws the next tick, and notes the changes under it.
   *
   * @param covered the watermark as it stands
   */
  synchronized long note(
      AtomicLong ticks, @Nullable Watermark covered, Collection<Change> changes) {
    long tick = ticks.incrementAndGet();
    for (Change change : changes) {
      long place = next;
      makeRoom(place);
      Before before = newest.getOrDefault(change.table(), Before.NOTHING);
      Noted noted = new Noted(place, tick, covered, before, change);
      ring.set(index(place), noted);
      newest.put(change.table(), new Before(place, tick));
      next = place + 1;
      rows += noted.rows();
      while (rows > MOST_ROWS && oldest < next) {
        dropOldest();
      }
    }
    return tick;
  }

  /** Draws the next tick for changes of these tables of which nothing more is known. */
  long noteAtLarge(AtomicLong ticks, @Nullable Watermark covered, Collection<Lane> tables) {
    List<Change> changes = tables.stream().map(Change::atLarge).toList();
    return note(ticks, covered, changes);
  }

  /** The tick through which the trail is complete just now. */
  synchronized long completeThrough(AtomicLong ticks) {
    return ticks.get();
  }

  /**
   * Walks through a table's changes, the newest first.
   *
   * @param since the tick after which they are wanted
   * @param except a tick at which they are not
   * @param most so many at most
   * @return false if it is not certain that all were met
   */
  boolean walk(Lane table, long since, long except, int most, Visitor visitor) {
    Before at = newest.getOrDefault(table, Before.NOTHING);
    for (int left = most; at.tick() > since; left--) {
      if (left == 0) {
        return false;
      }
      Noted noted = ring.get(index(at.place()));
      if (noted == null || noted.place() != at.place()) {
        return false;
      } else if (noted.tick() != except) {
        visitor.visit(noted.change(), noted.covered());
      }
      at = noted.before();
    }
    return true;
  }

  /** Whether no change has been forgotten that was noted after a tick. */
  boolean reachesBackTo(long tick) {
    return tick >= forgottenThrough;
  }

  private void makeRoom(long place) {
    while (place - oldest >= MOST_CHANGES) {
      dropOldest();
    }
  }

  private void dropOldest() {
    Noted gone = ring.getAndSet(index(oldest), null);
    if (gone != null) {
      rows -= gone.rows();
      forgottenThrough = gone.tick();
    }
    oldest++;
  }

  private static int index(long place) {
    return (int) place & (MOST_CHANGES - 1);
  }
}
