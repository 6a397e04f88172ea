package dev.warmshelf.journal;

import java.util.Arrays;
import org.jspecify.annotations.Nullable;

/**
 * Which transactions had ended at a moment, as {@code pg_snapshot} says it (section 9.27.10 of the
 * manual): all below the first number, and all below the second that are not in the list.
 * Immutable.
 */
final class TransactionSnapshot {
  private static final int DECIMAL = 10;
  private static final int FEW = 8;

  private final long end;

  /** Not ended, though below the end; ascending. */
  private final long[] open;

  private TransactionSnapshot(long end, long[] open) {
    this.end = end;
    this.open = open;
  }

  /** Null if it is none. */
  static @Nullable TransactionSnapshot read(String text) {
    int first = text.indexOf(':');
    int second = text.indexOf(':', first + 1);
    if (first < 0 || second < 0) {
      return null;
    }
    try {
      Long.parseUnsignedLong(text, 0, first, DECIMAL);
      long end = Long.parseUnsignedLong(text, first + 1, second, DECIMAL);
      long[] open = new long[FEW];
      int count = 0;
      for (int at = second + 1; at < text.length(); count++) {
        int comma = text.indexOf(',', at);
        int to = comma < 0 ? text.length() : comma;
        open = count == open.length ? Arrays.copyOf(open, 2 * count) : open;
        open[count] = Long.parseUnsignedLong(text, at, to, DECIMAL);
        at = to + 1;
      }
      open = Arrays.copyOf(open, count);
      Arrays.sort(open);
      return new TransactionSnapshot(end, open);
    } catch (NumberFormatException e) {
      return null;
    }
  }

  /**
   * Whether all that had ended in the other had ended in this one. The lists name no
   * subtransactions; where the other's end is later, one between the two counts as ended in it
   * alone, so the answer may be no where it could be yes.
   */
  boolean covers(TransactionSnapshot other) {
    for (long one : open) {
      if (one < other.end && !other.isOpen(one)) {
        return false;
      }
    }
    long later = Arrays.stream(other.open).filter(one -> one >= end).distinct().count();
    return other.end <= end || later == other.end - end;
  }

  private boolean isOpen(long transaction) {
    return Arrays.binarySearch(open, transaction) >= 0;
  }
}
