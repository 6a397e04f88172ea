package dev.warmshelf.scenario;

import java.time.LocalDate;

/**
 * How big the company is, from one number. The number stretches the calendar: a day looks the same
 * at every scale, there are only more of them.
 *
 * @param factor 1 for 60 days of 1,000 sailings and 1,500,000 bookings
 */
public record Scale(double factor) {
  public static final Scale DEFAULT = new Scale(1);
  public static final Scale SMALL = new Scale(0.1);
  public static final Scale TINY = new Scale(0.02);

  /** The first day of sailings. */
  public static final LocalDate FIRST_DAY = LocalDate.of(2026, 5, 1);

  static final int SAILINGS_PER_DAY = 1_000;
  static final int BOOKINGS_PER_SAILING = 25;
  private static final int FEWEST_DAYS = 2;
  private static final int DEFAULT_DAYS = 60;

  /**
   * Above zero.
   *
   * @throws IllegalArgumentException if it is not, or too large
   */
  public Scale {
    if (!(factor > 0 && factor <= 100)) {
      throw new IllegalArgumentException(
          "The scale must be above 0 and at most 100, but is " + factor + ".");
    }
  }

  /** On how many days ferries sail. */
  public int days() {
    return Math.max(FEWEST_DAYS, (int) Math.round(DEFAULT_DAYS * factor));
  }

  /** How many sailings there are. */
  public int sailings() {
    return days() * SAILINGS_PER_DAY;
  }

  /** How many bookings there are. */
  public int bookings() {
    return sailings() * BOOKINGS_PER_SAILING;
  }
}
