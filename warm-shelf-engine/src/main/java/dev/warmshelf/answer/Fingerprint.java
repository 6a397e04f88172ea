package dev.warmshelf.answer;

import java.math.BigDecimal;
import java.util.Arrays;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * 64 bits that tell answers apart. Rows are added up, so that their order does not matter; the same
 * in every process, since only values go in whose hash the platform specifies.
 */
public final class Fingerprint {
  private Fingerprint() {}

  public static long ofRows(List<String> columns, List<@Nullable Object[]> rows) {
    long sum = mixed(columns.hashCode());
    for (@Nullable Object[] row : rows) {
      long h = 1;
      for (Object value : row) {
        h = mixed(h ^ of(value));
      }
      sum += h;
    }
    return sum;
  }

  private static long of(@Nullable Object value) {
    if (value instanceof byte[] raw) {
      return Arrays.hashCode(raw);
    } else if (value instanceof List<?> list) {
      long h = list.size();
      for (Object element : list) {
        h = mixed(h ^ of(element));
      }
      return h;
    } else if (value instanceof String text) {
      return ofText(text);
    } else if (value instanceof Number number && !(value instanceof BigDecimal)) {
      return mixed(number.longValue() ^ Double.doubleToLongBits(number.doubleValue()));
    }
    return value == null ? 0 : ofText(value.toString());
  }

  private static long ofText(String text) {
    long h = text.length();
    for (int i = 0; i < text.length(); i++) {
      h = mixed(h ^ text.charAt(i));
    }
    return h;
  }

  /** The finalizer of SplitMix64 (Steele, Lea, Flood, 2014). */
  private static long mixed(long x) {
    long z = x + 0x9e3779b97f4a7c15L;
    z = (z ^ (z >>> 30)) * 0xbf58476d1ce4e5b9L;
    z = (z ^ (z >>> 27)) * 0x94d049bb133111ebL;
    return z ^ (z >>> 31);
  }
}
