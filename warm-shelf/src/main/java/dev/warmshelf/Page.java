package dev.warmshelf;

import java.util.ArrayList;
import java.util.Collections;
import java.util.List;

/**
 * A part of a list.
 *
 * @param rows in the list's order; unmodifiable, and empty beyond its end
 * @param number from 0
 * @param size how many rows a page has, but for the last one
 * @param total how many rows the list has
 */
public record Page<T>(List<T> rows, int number, int size, int total) {
  /** Keeps a copy. */
  public Page {
    rows = Collections.unmodifiableList(new ArrayList<>(rows)); // may hold null
  }

  static <T> Page<T> of(List<T> list, int number, int size) {
    if (number < 0 || size < 1) {
      throw new IllegalArgumentException(
          "Pages begin at 0 and have 1 row at least, but were asked for "
              + number
              + " and "
              + size
              + ".");
    }
    int total = list.size();
    int from = (int) Math.min(total, (long) number * size);
    int to = (int) Math.min(total, (long) from + size);
    return new Page<>(list.subList(from, to), number, size, total);
  }

  /** How many pages there are. */
  public int pages() {
    return (int) (((long) total + size - 1) / size);
  }

  /** Whether another one follows. */
  public boolean hasNext() {
    return number + 1 < pages();
  }
}
