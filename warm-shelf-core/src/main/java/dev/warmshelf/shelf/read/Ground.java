package dev.warmshelf.shelf.read;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Room;
import dev.warmshelf.time.TimeSource;
import java.util.Objects;
import java.util.UUID;

/**
 * What the shelves of a program stand on together.
 *
 * @param board which says what has changed
 * @param time their clocks
 * @param trust what makes a kept answer trustworthy
 * @param room which they share as far as they have none of their own
 * @param upkeep which does in the background what nobody should wait for
 */
public record Ground(Board board, TimeSource time, Trust trust, Room room, Upkeep upkeep) {
  /** What makes a kept answer trustworthy, apart from its end. */
  public enum Trust {
    /** A feed: while its watermark stands still for too long, the policy says what to do. */
    FEED,
    /** The TTL alone. Answers may be stale by as much. */
    TTL_ALONE
  }

  /** To tell this process's names from all others'. */
  private static final String PROCESS = UUID.randomUUID().toString();

  /** A name for an entry of this process. */
  String nameOf(Entry entry) {
    return PROCESS + "-" + entry.key().shortDigest() + "-" + entry.filledNanos();
  }

  /** All of it. */
  public Ground {
    Objects.requireNonNull(board, "board");
    Objects.requireNonNull(time, "time");
    Objects.requireNonNull(trust, "trust");
    Objects.requireNonNull(room, "room");
    Objects.requireNonNull(upkeep, "upkeep");
  }

  /** Such a room, empty. */
  public static Room room(Capacity capacity, TimeSource time) {
    long largest = Math.max(1, (long) (capacity.bytes() * capacity.largestShare()));
    return new Room(capacity.bytes(), capacity.entries(), largest, capacity.leaving(), time);
  }

  /** With the standard room, and nothing done in the background. */
  public static Ground of(Board board, TimeSource time, Trust trust) {
    return new Ground(board, time, trust, room(Capacity.shared(), time), Upkeep.none());
  }
}
