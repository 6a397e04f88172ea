package dev.warmshelf.measure.figures;

import java.util.List;
import java.util.OptionalLong;

/**
 * How fast readers ask, and how much.
 *
 * @param paced whether each request is asked when it is due; otherwise as fast as can be
 * @param words the same in words
 * @param questions how many there are to ask; empty if they never end
 * @param leftOut what is not asked, and why, a line each
 */
public record Pace(boolean paced, String words, OptionalLong questions, List<String> leftOut) {
  /** As fast as they are answered. */
  public static final Pace UNPACED =
      new Pace(false, "as fast as they can", OptionalLong.empty(), List.of());
}
