package dev.warmshelf.trial;

import java.util.Arrays;
import java.util.random.RandomGenerator;

/**
 * Ranks drawn by Zipf's law: rank {@code r} comes up in proportion to {@code 1 / r^s}. By inversion
 * of the cumulative sum, so a draw costs one search.
 *
 * <p>Immutable.
 */
public final class Zipf {
  private final double[] cumulative;

  /**
   * @param ranks how many ranks there are, at least 1
   * @param exponent the {@code s} above; 0 makes all ranks alike
   */
  public Zipf(int ranks, double exponent) {
    cumulative = new double[ranks];
    double sum = 0;
    for (int i = 0; i < ranks; i++) {
      sum += 1 / Math.pow(i + 1.0, exponent);
      cumulative[i] = sum;
    }
  }

  /** A rank from 0, the most popular, to the number of ranks less one. */
  public int draw(RandomGenerator random) {
    double at = random.nextDouble() * cumulative[cumulative.length - 1];
    int found = Arrays.binarySearch(cumulative, at);
    return Math.min(found >= 0 ? found + 1 : -found - 1, cumulative.length - 1);
  }
}
