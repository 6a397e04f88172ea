package dev.warmshelf.shelf;

import java.util.List;
import java.util.regex.Pattern;

/**
 * Answers that changes to one table invalidated, and that were loaded again only to say the same:
 * what it costs that the table's changes are not told apart by more columns.
 *
 * @param table by name
 * @param recent of five to ten minutes until now
 * @param all since the shelf was opened
 * @param columns that the statements concerned would have its rows told apart by, those among them
 *     by which they are already; empty if that would spare nothing
 */
public record NeedlessReloads(String table, Amount recent, Amount all, List<String> columns) {
  /** Fewer cost nobody much. */
  private static final int LEAST = 20;

  /** What a shell takes as it is. */
  private static final Pattern PLAIN = Pattern.compile("[A-Za-z0-9_.,:]+");

  /** Keeps a copy. */
  public NeedlessReloads {
    columns = List.copyOf(columns);
  }

  /**
   * How many there were.
   *
   * @param reloads of answers that a change to the table had invalidated
   * @param needless of these, those that gave the same rows
   * @param nanos that the needless ones took
   */
  public record Amount(long reloads, long needless, long nanos) {
    /** Not one. */
    public static final Amount NONE = new Amount(0, 0, 0);

    /** Both together. */
    public Amount and(Amount more) {
      return new Amount(reloads + more.reloads, needless + more.needless, nanos + more.nanos);
    }

    /** Whether there are many, and most reloads are needless. */
    public boolean isMuch() {
      return needless >= LEAST && 2 * needless >= reloads;
    }
  }

  /** What to do about them, in a sentence. */
  public String advice() {
    String wanted = table + ":" + String.join(",", columns);
    if (columns.isEmpty()) {
      return "Nothing in the statements tells the table's rows apart better; is each of them worth"
          + " keeping?";
    }
    return "The statements would have its rows told apart by "
        + columns
        + (PLAIN.matcher(wanted).matches()
            ? ": shelf feed install " + wanted
            : ": 'shelf feed install'")
        + ".";
  }
}
