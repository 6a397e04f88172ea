package dev.warmshelf.shelf;

/**
 * How much a shelf may hold.
 *
 * @param entries the most answers it keeps at a time, at least 1
 */
public record Capacity(int entries) {
  /**
   * One entry or more.
   *
   * @throws IllegalArgumentException if it is less
   */
  public Capacity {
    if (entries < 1) {
      throw new IllegalArgumentException(
          "A shelf must hold at least 1 entry, but was told to hold " + entries + ".");
    }
  }

  /**
   * So many answers.
   *
   * @throws IllegalArgumentException if it is less than one
   */
  public static Capacity entries(int entries) {
    return new Capacity(entries);
  }
}
