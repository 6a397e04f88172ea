package dev.warmshelf.shelf;

import java.util.Arrays;
import java.util.List;
import org.jspecify.annotations.Nullable;

/** How many hits are read again directly, off the caller's path, to see whether they were right. */
public final class Audit extends Terms {
  private static final Audit NONE = new Audit(0, 1, 0);
  private static final Audit STANDARD = new Audit(1, 1, 0.001);

  private final double share;
  private final int perSecond;
  private final double budget;

  private Audit(double share, int perSecond, double budget) {
    if (!(share >= 0 && share <= 1)) {
      throw new IllegalArgumentException(
          "The share of hits to audit must be between 0 and 1, but is " + share + ".");
    }
    if (perSecond < 1) {
      throw new IllegalArgumentException(
          "There must be at least 1 audit a second, but there were to be " + perSecond + ".");
    }
    if (!(budget >= 0)) {
      throw new IllegalArgumentException("A budget cannot be negative, but is " + budget + ".");
    }
    this.share = share;
    this.perSecond = perSecond;
    this.budget = budget;
  }

  /** No audits. */
  public static Audit none() {
    return NONE;
  }

  /**
   * One a second at most, for a thousandth of the loads' time; of mended and revived answers first,
   * since these were not read as a whole. The default.
   */
  public static Audit standard() {
    return STANDARD;
  }

  /** One hit in so many, and no more than five a second, whatever they cost. */
  public static Audit oneIn(int hits) {
    return of(1.0 / hits, 5);
  }

  /**
   * A share of the hits, and no more than so many a second, whatever they cost.
   *
   * @throws IllegalArgumentException if either is out of range
   */
  public static Audit of(double share, int perSecond) {
    return new Audit(share, perSecond, Double.POSITIVE_INFINITY);
  }

  /** In words, for a log. */
  @Override
  public String toString() {
    if (isNone()) {
      return "none";
    }
    String most = "at most " + perSecond + " a second";
    return budget == Double.POSITIVE_INFINITY
        ? share * 100 + " % of the hits, " + most
        : most + ", for " + budget * 100 + " % of the loads' time";
  }

  /** Whether no hit is audited. */
  public boolean isNone() {
    return share == 0 || budget == 0;
  }

  /** Of the hits that are audited, from 0 for none to 1 for all. */
  public double share() {
    return share;
  }

  /** How many audits there are a second at most. */
  public int perSecond() {
    return perSecond;
  }

  /**
   * How much of the time that the database spends on the shelf's loads may be spent on its audits
   * besides, such as 0.001; {@link Double#POSITIVE_INFINITY} for any.
   */
  public double budget() {
    return budget;
  }

  @Override
  List<@Nullable Object> terms() {
    return Arrays.asList(share, perSecond, budget);
  }
}
