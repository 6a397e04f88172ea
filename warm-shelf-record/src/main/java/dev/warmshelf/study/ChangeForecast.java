package dev.warmshelf.study;

/**
 * What answers would give that are kept until something changes, with no bound on memory.
 *
 * @param ends what puts an answer out
 * @param hits of all questions
 * @param saved of all time that the database took, were nothing kept
 */
public record ChangeForecast(Ends ends, Share hits, Share saved) {
  /** What puts an answer out. */
  public enum Ends {
    /** Each change of a table that its statement reads. */
    TABLE_CHANGED,

    /** Each change of rows that it stands on, as far as the journal's columns tell them apart. */
    ROWS_CHANGED,

    /**
     * Only a change that makes it another: the most that the second look and mending can give
     * together.
     */
    ANSWER_CHANGED
  }
}
