package dev.warmshelf.measure.text;

import java.util.Locale;

/** Numbers as people read them. */
public final class Text {
  private Text() {}

  /** A duration with three digits that count: {@code 850 ns}, {@code 12.3 µs}, {@code 1.42 s}. */
  public static String nanos(long nanos) {
    if (nanos < 0) {
      return "-" + nanos(-nanos);
    } else if (nanos < 1_000) {
      return String.format(Locale.ROOT, "%d ns", nanos);
    } else if (nanos < 1_000_000) {
      return digits(nanos / 1e3) + " µs";
    } else if (nanos < 1_000_000_000) {
      return digits(nanos / 1e6) + " ms";
    }
    return digits(nanos / 1e9) + " s";
  }

  /** With commas between thousands. */
  public static String count(long count) {
    return String.format(Locale.ROOT, "%,d", count);
  }

  /** Bytes with three digits that count: {@code 850 B}, {@code 12.3 KiB}, {@code 1.42 GiB}. */
  public static String bytes(long bytes) {
    if (bytes < 1 << 10) {
      return bytes + " B";
    } else if (bytes < 1 << 20) {
      return digits(bytes / (double) (1 << 10)) + " KiB";
    } else if (bytes < 1 << 30) {
      return digits(bytes / (double) (1 << 20)) + " MiB";
    }
    return digits(bytes / (double) (1 << 30)) + " GiB";
  }

  /** Of a ratio from 0 to 1, with one digit. */
  public static String percent(double ratio) {
    return String.format(Locale.ROOT, "%.1f %%", 100 * ratio);
  }

  /** The text on one line, and no longer than so many characters. */
  public static String cut(String text, int most) {
    String line = onOneLine(text);
    return line.length() <= most ? line : line.substring(0, most - 1) + "\u2026";
  }

  /** The text on one line. */
  public static String onOneLine(String text) {
    return text.strip().replaceAll("\\s+", " ");
  }

  /** {@code 3.2×}: how many times as much. */
  public static String times(double factor) {
    return digits(factor) + "×";
  }

  private static String digits(double value) {
    String pattern = value < 10 ? "%.2f" : value < 100 ? "%.1f" : "%,.0f";
    return String.format(Locale.ROOT, pattern, value);
  }
}
