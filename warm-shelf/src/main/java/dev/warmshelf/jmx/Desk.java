package dev.warmshelf.jmx;

import java.sql.SQLException;
import java.util.Map;

/** What a program shows as a whole, and does if it is asked. Thread-safe. */
public interface Desk {
  /**
   * Texts, numbers, truth values and {@link OpenValues#rows rows}, or suppliers of them, by name;
   * always the same names and classes.
   */
  Map<String, Object> attributes();

  /**
   * Clears in this process.
   *
   * @param what as {@link dev.warmshelf.spi.feed.Clearing#of} reads it
   * @param name empty for everything
   * @return about how many answers are gone
   * @throws IllegalArgumentException if that cannot be cleared
   */
  long clear(String what, String name);

  /**
   * Clears in all processes.
   *
   * @throws IllegalArgumentException if that cannot be cleared
   * @throws IllegalStateException if no feed is followed
   * @throws SQLException if the journal cannot be written
   */
  void clearEverywhere(String what, String name) throws SQLException;
}
