package dev.warmshelf.shelf;

import java.util.Objects;

/**
 * Which of a shelf's entries somebody wants to see.
 *
 * @param form the beginning of a form's digest; empty for any
 * @param table a table's name, with its schema or without, that the answer depends on; empty for
 *     any
 * @param order which come first
 * @param most how many to show, up to {@value #MOST}
 */
public record EntryQuery(String form, String table, Order order, int most) {
  /** No more are shown at a time. */
  public static final int MOST = 1_000;

  /** Those first that have most of it. */
  public enum Order {
    /** Time that their uses have saved. */
    SAVED,
    /** Uses. */
    USES,
    /** Bytes. */
    BYTES,
    /** Time since their load. */
    AGE
  }

  /**
   * Checked.
   *
   * @throws IllegalArgumentException if none or more than {@value #MOST} are to be shown
   */
  public EntryQuery {
    Objects.requireNonNull(form, "form");
    Objects.requireNonNull(table, "table");
    Objects.requireNonNull(order, "order");
    if (most < 1 || most > MOST) {
      throw new IllegalArgumentException(
          "From 1 to " + MOST + " entries are shown at a time, not " + most + ".");
    }
  }

  /** All, of which so many are shown. */
  public static EntryQuery any(int most) {
    return new EntryQuery("", "", Order.SAVED, most);
  }
}
