package dev.warmshelf.trial;

/**
 * A ratio from a sample with its 95 % interval (E. B. Wilson, "Probable Inference, the Law of
 * Succession, and Statistical Inference", 1927).
 *
 * @param ratio of the sample; 0 where there is none
 * @param low the true ratio is no lower, in 19 of 20 cases
 * @param high the true ratio is no higher, in 19 of 20 cases; 1 where there is no sample
 */
public record Wilson(double ratio, double low, double high) {
  private static final double Z = 1.959963984540054;

  /**
   * Of so many in a sample.
   *
   * @throws IllegalArgumentException unless {@code 0 <= count <= sample}
   */
  public static Wilson of(long count, long sample) {
    if (count < 0 || count > sample) {
      throw new IllegalArgumentException(count + " of " + sample + " is no ratio.");
    }
    if (sample == 0) {
      return new Wilson(0, 0, 1);
    }
    double n = sample;
    double p = count / n;
    double middle = p + Z * Z / (2 * n);
    double spread = Z * Math.sqrt(p * (1 - p) / n + Z * Z / (4 * n * n));
    double scale = 1 + Z * Z / n;
    return new Wilson(
        p,
        count == 0 ? 0 : Math.max(0, (middle - spread) / scale),
        count == sample ? 1 : Math.min(1, (middle + spread) / scale));
  }
}
