package dev.warmshelf.shelf;

import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Lengths of time as they are written in files and comments: a number and its unit. */
public final class Durations {
  private static final Pattern WRITTEN = Pattern.compile("(\\d+(?:\\.\\d+)?)\\s*([A-Za-z]*)");
  private static final Map<String, Long> NANOS = new LinkedHashMap<>();

  static {
    NANOS.put("ms", 1_000_000L);
    NANOS.put("s", 1_000_000_000L);
    NANOS.put("min", 60_000_000_000L);
    NANOS.put("h", 3_600_000_000_000L);
    NANOS.put("d", 86_400_000_000_000L);
  }

  private Durations() {}

  /**
   * Reads one, such as {@code 500 ms}, {@code 10 s}, {@code 5 min}, {@code 1 h} or {@code 1 d}.
   *
   * @throws IllegalArgumentException if it is none, with what is wrong and what is expected
   */
  public static Duration parse(String text) {
    Matcher found = WRITTEN.matcher(text.strip());
    String wrong = "is no time";
    if (found.matches()) {
      Long unit = NANOS.get(found.group(2));
      if (unit != null) {
        return Duration.ofNanos((long) (Double.parseDouble(found.group(1)) * unit));
      }
      wrong = found.group(2).isEmpty() ? "has no unit" : "has an unknown unit";
    }
    throw new IllegalArgumentException(
        "'"
            + text
            + "' "
            + wrong
            + "; expected a time such as 500 ms, 10 s, 5 min, 1 h or 1 d (units: "
            + String.join(", ", NANOS.keySet())
            + ")");
  }
}
