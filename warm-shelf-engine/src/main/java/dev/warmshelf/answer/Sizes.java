package dev.warmshelf.answer;

import dev.warmshelf.key.ValueType;
import java.util.List;
import org.jspecify.annotations.Nullable;

/** About how much memory rows take; of single values, {@link ValueType#bytesOf} tells. */
final class Sizes {
  private static final int LIST = 40;

  private Sizes() {}

  /** Rows in arrays, and a record for each, which shares the values. */
  static long ofRows(List<String> columns, List<@Nullable Object[]> rows) {
    long row = ValueType.rounded(16 + 4L * columns.size());
    long bytes = 2 * (LIST + (row + 8) * rows.size());
    for (@Nullable Object[] each : rows) {
      for (Object value : each) {
        bytes += ValueType.bytesOf(value);
      }
    }
    return bytes;
  }
}
