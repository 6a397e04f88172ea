package dev.warmshelf.cli.program;

import java.util.Locale;
import java.util.Map;

/** What a program says of its health, for a person. */
public final class HealthInWords {
  private HealthInWords() {}

  /** Its state. */
  public static String state(Map<String, Object> part) {
    return String.valueOf(part.get("Health")).toLowerCase(Locale.ROOT).replace('_', ' ');
  }

  /**
   * In a line.
   *
   * @param lag what to say of that
   */
  public static String inWords(Map<String, Object> part, String lag) {
    String since = String.valueOf(part.get("LostSince"));
    String why = String.valueOf(part.get("Why"));
    return state(part)
        + (since.isEmpty() ? "" : " since " + since)
        + lag
        + (why.isEmpty() ? "" : ": " + why);
  }
}
