package dev.warmshelf.cli;

import java.util.Locale;

/** Numbers as people read them. */
final class Text {
  private Text() {}

  /** A duration with three digits that count: {@code 850 ns}, {@code 12.3 µs}, {@code 1.42 s}. */
  static String nanos(long nanos) {
    if (nanos < 1_000) {
      return String.format(Locale.ROOT, "%d ns", nanos);
    } else if (nanos < 1_000_000) {
      return digits(nanos / 1e3) + " µs";
    } else if (nanos < 1_000_000_000) {
      return digits(nanos / 1e6) + " ms";
    }
    return digits(nanos / 1e9) + " s";
  }

  static String count(long count) {
    return String.format(Locale.ROOT, "%,d", count);
  }

  static String percent(double ratio) {
    return String.format(Locale.ROOT, "%.1f %%", 100 * ratio);
  }

  /** {@code 3.2×}: how many times as much. */
  static String times(double factor) {
    return digits(factor) + "×";
  }

  private static String digits(double value) {
    String pattern = value < 10 ? "%.2f" : value < 100 ? "%.1f" : "%,.0f";
    return String.format(Locale.ROOT, pattern, value);
  }
}
