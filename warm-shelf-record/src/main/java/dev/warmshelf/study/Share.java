package dev.warmshelf.study;

/**
 * A share of something, known from a sample.
 *
 * @param ratio from 0 to 1
 * @param error that the whole is within so much of it in 19 of 20 cases; 0 where all was looked at
 */
public record Share(double ratio, double error) {
  /** Where there was nothing to look at. */
  static final Share NONE = new Share(0, 0);

  private static final double Z = 1.96;

  /** Sums over groups of a sample, each drawn as the others. */
  static final class Sums {
    private static final int GROUPS = 16;
    private final double[] part = new double[GROUPS];
    private final double[] whole = new double[GROUPS];

    /**
     * @param digest of what is looked at
     */
    void add(long digest, double partOf, double of) {
      int group = (int) (Sample.spread(digest) >>> 60);
      part[group] += partOf;
      whole[group] += of;
    }

    /**
     * The share, where what was not looked at counts as that which was: the parts that are missing
     * of the whole, since few that are met very often were in the sample by chance, or many, count
     * as parts (as in "SHARDS", section 4.3: the popular ones hit).
     *
     * @param rate which part of all was looked at
     * @param whole what the wholes would add up to, were the sample as all is
     */
    Share share(double rate, double whole) {
      if (whole <= 0) {
        return NONE;
      }
      double[] off = new double[GROUPS];
      double lacking = 0;
      for (int i = 0; i < GROUPS; i++) {
        off[i] = this.whole[i] - part[i];
        lacking += off[i];
      }
      double squares = 0;
      for (double each : off) {
        squares += (each - lacking / GROUPS) * (each - lacking / GROUPS);
      }
      double deviation = Math.sqrt(squares * GROUPS / (GROUPS - 1)) / whole;
      double ratio = Math.max(0, Math.min(1, 1 - lacking / whole));
      return new Share(ratio, rate == 1 ? 0 : Z * deviation * Math.sqrt(1 - rate));
    }

    /** The share of what was looked at. */
    Share share(double rate) {
      double all = 0;
      for (double each : whole) {
        all += each;
      }
      return share(rate, all);
    }
  }
}
