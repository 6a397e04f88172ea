package dev.warmshelf.base;

import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Amounts as they are written in files and comments: a number and its unit. */
public final class Amounts {
  private static final Pattern WRITTEN = Pattern.compile("(\\d+(?:\\.\\d+)?)\\s*([A-Za-z%]*)");

  /** In nanoseconds. */
  private static final Map<String, Long> TIMES = new LinkedHashMap<>();

  private static final Map<String, Long> BYTES = new LinkedHashMap<>();

  static {
    TIMES.put("ms", 1_000_000L);
    TIMES.put("s", 1_000_000_000L);
    TIMES.put("min", 60_000_000_000L);
    TIMES.put("h", 3_600_000_000_000L);
    TIMES.put("d", 86_400_000_000_000L);
    BYTES.put("B", 1L);
    BYTES.put("KiB", 1L << 10);
    BYTES.put("MiB", 1L << 20);
    BYTES.put("GiB", 1L << 30);
  }

  private Amounts() {}

  /**
   * A length of time, such as {@code 500 ms}, {@code 10 s}, {@code 5 min}, {@code 1 h} or {@code 1
   * d}.
   *
   * @throws IllegalArgumentException if it is none, with what is wrong and what is expected
   */
  public static Duration time(String text) {
    return Duration.ofNanos(
        (long) parse(text, TIMES, "a time such as 500 ms, 10 s, 5 min, 1 h or 1 d"));
  }

  /**
   * A size in bytes, such as {@code 512 KiB}, {@code 64 MiB} or {@code 1 GiB}.
   *
   * @throws IllegalArgumentException if it is none, with what is wrong and what is expected
   */
  public static long bytes(String text) {
    return (long) parse(text, BYTES, "a size such as 512 KiB, 64 MiB or 1 GiB");
  }

  /**
   * A share in percent, such as {@code 25 %}.
   *
   * @return of one: a quarter is 0.25
   * @throws IllegalArgumentException if it is none, with what is wrong and what is expected
   */
  public static double share(String text) {
    return parse(text, Map.of("%", 1L), "a share such as 25 %") / 100;
  }

  private static double parse(String text, Map<String, Long> units, String expected) {
    Matcher found = WRITTEN.matcher(text.strip());
    if (!found.matches()) {
      throw new IllegalArgumentException("'" + text + "' is not " + expected);
    }
    Long unit = units.get(found.group(2));
    if (unit == null) {
      throw new IllegalArgumentException(
          "'"
              + text
              + (found.group(2).isEmpty() ? "' has no unit" : "' has an unknown unit")
              + "; expected "
              + expected
              + " (units: "
              + String.join(", ", units.keySet())
              + ")");
    }
    return Double.parseDouble(found.group(1)) * unit;
  }
}
