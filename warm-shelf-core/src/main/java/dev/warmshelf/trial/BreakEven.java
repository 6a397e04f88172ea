package dev.warmshelf.trial;

/**
 * What keeping the answers of a query is worth, from medians. Times in nanoseconds.
 *
 * @param direct a read without a shelf
 * @param hit a read that the shelf answers
 * @param miss a read that the shelf sends on to the database
 */
public record BreakEven(double direct, double hit, double miss) {
  /**
   * Times above zero.
   *
   * @throws IllegalArgumentException if one is not
   */
  public BreakEven {
    if (!(direct > 0 && hit > 0 && miss > 0)) {
      throw new IllegalArgumentException(
          "Times must be above zero, but are " + direct + ", " + hit + " and " + miss + ".");
    }
  }

  /** How many times as long a miss takes as a direct read. */
  public double missPenalty() {
    return miss / direct;
  }

  /**
   * The hit ratio at which reads take as long on average as direct ones: {@code (miss − direct) ÷
   * (miss − hit)}. 0 where even a miss is no slower; above 1 where even a hit is slower.
   */
  public double ratio() {
    if (miss <= direct) {
      return hit <= direct ? 0 : Double.POSITIVE_INFINITY;
    }
    return miss <= hit ? Double.POSITIVE_INFINITY : (miss - direct) / (miss - hit);
  }

  /** How many times as fast reads are on average at this hit ratio as direct ones. */
  public double gain(double hitRatio) {
    return direct / (hitRatio * hit + (1 - hitRatio) * miss);
  }
}
