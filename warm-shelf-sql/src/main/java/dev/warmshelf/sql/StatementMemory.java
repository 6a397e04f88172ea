package dev.warmshelf.sql;

import java.util.concurrent.ConcurrentHashMap;

/**
 * Texts that have been read before, so that reading one again costs a lookup. Bounded: a program
 * that glues values into its SQL makes a new text each time, and must not fill the heap.
 *
 * <p>Two generations. A text is remembered in the young one; when that is full it becomes the old
 * one and the old one is forgotten. A text found in the old one is young again, so what is in use
 * stays.
 *
 * <p>Thread-safe. A lookup takes no lock.
 */
public final class StatementMemory {
  private static final int LONGEST_REMEMBERED = 20_000;

  private final int generation;
  private volatile ConcurrentHashMap<String, SqlStatement> young = new ConcurrentHashMap<>();
  private volatile ConcurrentHashMap<String, SqlStatement> old = new ConcurrentHashMap<>();

  /**
   * @param most how many texts to remember, at least 2
   */
  public StatementMemory(int most) {
    if (most < 2) {
      throw new IllegalArgumentException(
          "At least 2 texts must be remembered, but were told " + most + ".");
    }
    this.generation = most / 2;
  }

  /**
   * The statement of a text.
   *
   * @throws SqlTextException as {@link SqlStatement#of} does; nothing is remembered then
   */
  public SqlStatement of(String text) {
    SqlStatement known = young.get(text);
    if (known != null) {
      return known;
    }
    known = old.get(text);
    SqlStatement statement = known == null ? SqlStatement.of(text) : known;
    if (text.length() <= LONGEST_REMEMBERED) {
      remember(text, statement);
    }
    return statement;
  }

  /** How many texts are remembered. */
  public int size() {
    return young.size() + old.size();
  }

  private synchronized void remember(String text, SqlStatement statement) {
    if (young.size() >= generation) {
      old = young;
      young = new ConcurrentHashMap<>();
    }
    young.put(text, statement);
  }
}
