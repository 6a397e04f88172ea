package dev.warmshelf.shelf;

/**
 * How many hits are read again directly, off the caller's path, to see whether they were right.
 *
 * @param share of the hits that are audited, from 0 for none to 1 for all
 * @param perSecond how many audits there are a second at most
 */
public record Audit(double share, int perSecond) {
  private static final Audit NONE = new Audit(0, 1);

  /**
   * A share from 0 to 1, and some audits a second.
   *
   * @throws IllegalArgumentException if either is out of range
   */
  public Audit {
    if (!(share >= 0 && share <= 1)) {
      throw new IllegalArgumentException(
          "The share of hits to audit must be between 0 and 1, but is " + share + ".");
    }
    if (perSecond < 1) {
      throw new IllegalArgumentException(
          "There must be at least 1 audit a second, but there were to be " + perSecond + ".");
    }
  }

  /** No audits. The default. */
  public static Audit none() {
    return NONE;
  }

  /** One hit in so many, and no more than five a second. */
  public static Audit oneIn(int hits) {
    return new Audit(1.0 / hits, 5);
  }
}
