package dev.warmshelf.row;

import java.math.BigDecimal;
import java.time.LocalDateTime;
import java.time.OffsetDateTime;
import java.time.OffsetTime;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * About how much memory values take, on a 64-bit virtual machine with compressed references: an
 * object's header is 12 bytes, a reference 4, and all is rounded up to 8 (JEP 450's text sums up
 * the layout).
 */
final class Sizes {
  private static final int LIST = 40;

  private Sizes() {}

  /** Rows in arrays, and a record for each, which shares the values. */
  static long ofRows(List<String> columns, List<@Nullable Object[]> rows) {
    long row = rounded(16 + 4L * columns.size());
    long bytes = 2 * (LIST + (row + 8) * rows.size());
    for (@Nullable Object[] each : rows) {
      for (Object value : each) {
        bytes += of(value);
      }
    }
    return bytes;
  }

  private static long of(@Nullable Object value) {
    if (value == null || value instanceof Boolean) {
      return 0;
    } else if (value instanceof String text) {
      return 24 + rounded(16L + text.length());
    } else if (value instanceof byte[] raw) {
      return rounded(16L + raw.length);
    } else if (value instanceof List<?> list) {
      return LIST + list.stream().mapToLong(element -> 4 + of(element)).sum();
    } else if (value instanceof BigDecimal) {
      return 40;
    } else if (value instanceof OffsetDateTime) {
      return 24 + 72;
    } else if (value instanceof LocalDateTime) {
      return 72;
    } else if (value instanceof UUID || value instanceof OffsetTime) {
      return 32;
    }
    return value instanceof Long || value instanceof Double ? 24 : 16;
  }

  private static long rounded(long bytes) {
    return (bytes + 7) & ~7L;
  }
}
