package dev.warmshelf.shelf;

import java.util.Objects;

/**
 * How a shelf is looked after.
 *
 * @param audit how many hits are checked against direct reads
 * @param shown what is shown of its entries from outside
 */
public record Oversight(Audit audit, Shown shown) {
  /** Neither is null. */
  public Oversight {
    Objects.requireNonNull(audit, "audit");
    Objects.requireNonNull(shown, "shown");
  }
}
