package dev.warmshelf.journal;

import java.util.Arrays;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;

/**
 * Which transactions had ended at a moment, as {@code pg_snapshot} says it (section 9.27.10 of the
 * manual): all below the first number, and all below the second that are not in the list.
 * Immutable.
 */
final class TransactionSnapshot {
  private static final Pattern FORM =
      Pattern.compile("(\\d{1,18}):(\\d{1,18}):(\\d{1,18}(,\\d{1,18})*)?");

  private final long end;

  /** Not ended, though below the end; ascending. */
  private final long[] open;

  private TransactionSnapshot(long end, long[] open) {
    this.end = end;
    this.open = open;
  }

  /** Null if it is none. */
  static @Nullable TransactionSnapshot read(String text) {
    if (!FORM.matcher(text).matches()) {
      return null;
    }
    String[] parts = text.split(":", -1);
    String list = parts[2];
    long[] open =
        list.isEmpty()
            ? new long[0]
            : Arrays.stream(list.split(",")).mapToLong(Long::parseLong).sorted().toArray();
    return new TransactionSnapshot(Long.parseLong(parts[1]), open);
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
