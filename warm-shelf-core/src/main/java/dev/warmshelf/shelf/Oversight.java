package dev.warmshelf.shelf;

import java.time.Duration;
import java.util.Objects;

/**
 * How a shelf is looked after.
 *
 * @param audit how many hits are checked against direct reads
 * @param shown what is shown of its entries from outside
 * @param slowLoad loads that take so long are told in the log, with what to do
 */
public record Oversight(Audit audit, Shown shown, Duration slowLoad) {
  /**
   * None is null.
   *
   * @throws IllegalArgumentException if a slow load is not longer than zero
   */
  public Oversight {
    Objects.requireNonNull(audit, "audit");
    Objects.requireNonNull(shown, "shown");
    if (slowLoad.isNegative() || slowLoad.isZero()) {
      throw new IllegalArgumentException(
          "A slow load takes longer than zero, but " + slowLoad + " was given.");
    }
  }
}
