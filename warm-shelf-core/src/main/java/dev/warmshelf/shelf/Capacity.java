package dev.warmshelf.shelf;

import java.util.Arrays;
import java.util.List;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * How much a shelf may hold, and what leaves first when that is reached. Bytes are estimates of
 * what answers take on the heap, with their keys and lanes.
 */
public final class Capacity extends Terms {
  private static final double SHARED_PART_OF_HEAP = 0.25;
  private static final double LARGEST_SHARE = 0.125;
  private static final Capacity SHARED =
      new Capacity(
          false,
          partOfHeap(SHARED_PART_OF_HEAP),
          Long.MAX_VALUE,
          LARGEST_SHARE,
          Leaving.LEAST_TIME_SAVED);

  private final boolean ofItsOwn;
  private final long bytes;
  private final long entries;
  private final double largestShare;
  private final Leaving leaving;

  private Capacity(
      boolean ofItsOwn, long bytes, long entries, double largestShare, Leaving leaving) {
    Objects.requireNonNull(leaving, "leaving");
    if (bytes < 1 || entries < 1) {
      throw new IllegalArgumentException(
          "A shelf must have room for at least 1 entry and 1 byte, but was given "
              + entries
              + " and "
              + bytes
              + ".");
    } else if (!(largestShare > 0 && largestShare <= 1)) {
      throw new IllegalArgumentException(
          "The largest answer's share must be more than 0 and at most 1, but is "
              + largestShare
              + ".");
    }
    this.ofItsOwn = ofItsOwn;
    this.bytes = bytes;
    this.entries = entries;
    this.largestShare = largestShare;
    this.leaving = leaving;
  }

  /**
   * The room that all shelves share that have none of their own: a quarter of the largest heap that
   * the virtual machine may use ({@link Runtime#maxMemory}), an eighth of it for one answer. The
   * default.
   */
  public static Capacity shared() {
    return SHARED;
  }

  /**
   * So many bytes.
   *
   * @throws IllegalArgumentException if it is less than one
   */
  public static Capacity bytes(long bytes) {
    return new Capacity(true, bytes, Long.MAX_VALUE, LARGEST_SHARE, Leaving.LEAST_TIME_SAVED);
  }

  /**
   * A part of the largest heap that the virtual machine may use.
   *
   * @param part more than 0, at most 1
   * @throws IllegalArgumentException if it is not
   */
  public static Capacity ofHeap(double part) {
    if (!(part > 0 && part <= 1)) {
      throw new IllegalArgumentException(
          "A part of the heap is more than 0 and at most 1, but was " + part + ".");
    }
    return bytes(Math.max(1, partOfHeap(part)));
  }

  /**
   * So many answers, and no more bytes than {@link #shared()} has.
   *
   * @throws IllegalArgumentException if it is less than one
   */
  public static Capacity entries(long entries) {
    return bytes(SHARED.bytes).andEntries(entries);
  }

  /**
   * The same for so many answers at most.
   *
   * @throws IllegalArgumentException if it is less than one, or this is shared
   */
  public Capacity andEntries(long most) {
    return adjusted(most, largestShare, leaving);
  }

  /**
   * The same with another largest part for one answer.
   *
   * @throws IllegalArgumentException if it is not more than 0 and at most 1, or this is shared
   */
  public Capacity largestShare(double part) {
    return adjusted(entries, part, leaving);
  }

  /**
   * The same with something else to leave first.
   *
   * @throws IllegalArgumentException if this is shared
   */
  public Capacity leaving(Leaving first) {
    return adjusted(entries, largestShare, first);
  }

  /**
   * The same in room of the shelf's own.
   *
   * @param most bytes in it
   * @throws IllegalArgumentException if it is less than one
   */
  public Capacity inRoomOfItsOwn(long most) {
    return new Capacity(true, most, entries, largestShare, leaving);
  }

  private Capacity adjusted(long most, double part, Leaving first) {
    if (!ofItsOwn) {
      throw new IllegalArgumentException(
          "The shared room is the same for all shelves in it. Give the shelf room of its own first:"
              + " Capacity.bytes(...), or Capacity.ofHeap(...).");
    }
    return new Capacity(true, bytes, most, part, first);
  }

  private static long partOfHeap(double part) {
    return (long) (Runtime.getRuntime().maxMemory() * part);
  }

  /**
   * Whether that is the shelf's alone; if not, it shares one room with all shelves of the program
   * that do not either.
   */
  public boolean ofItsOwn() {
    return ofItsOwn;
  }

  /** The most that its answers may take together, at least 1. */
  public long bytes() {
    return bytes;
  }

  /** The most answers at a time, at least 1. */
  public long entries() {
    return entries;
  }

  /**
   * The largest part of the bytes that one answer may take: more than 0, at most 1; a larger one is
   * given to whoever asks, and not kept.
   */
  public double largestShare() {
    return largestShare;
  }

  /** What leaves first. */
  public Leaving leaving() {
    return leaving;
  }

  @Override
  List<@Nullable Object> terms() {
    return Arrays.asList(ofItsOwn, bytes, entries, largestShare, leaving);
  }
}
