package dev.warmshelf.cli.screen;

/** Numbers within which a run makes sense. */
public final class Limits {
  public static final int MOST_SECONDS = 7 * 24 * 3_600;
  public static final int MOST_READERS = 500;
  public static final double MOST_PER_SECOND = 10_000_000;

  private Limits() {}

  /**
   * Refuses a number that is out of range, or none.
   *
   * @throws Failure naming the option and the range
   */
  public static void require(String option, double value, double least, double most)
      throws Failure {
    if (!(value >= least && value <= most)) {
      throw new Failure(
          String.format(
              java.util.Locale.ROOT,
              "%s must be from %s to %s, but is %s.",
              option,
              shown(least),
              shown(most),
              shown(value)));
    }
  }

  private static String shown(double value) {
    return value == Math.rint(value) && Math.abs(value) < 1e15
        ? String.format(java.util.Locale.ROOT, "%,d", (long) value)
        : Double.toString(value);
  }
}
