package dev.warmshelf.shelf;

import java.util.List;

/**
 * An entry as it stood when somebody looked. Immutable.
 *
 * @param digest of its key, 64 hexadecimal digits
 * @param form the beginning of its form's digest
 * @param statement the normal form
 * @param values what stands at the places of the normal form, as text; empty if they are not shown
 */
public record EntryView(
    String digest,
    String form,
    String statement,
    List<String> values,
    Size size,
    Use use,
    Standing standing) {
  /**
   * How big it is.
   *
   * @param rows of the answer; -1 if it does not tell
   * @param bytes about how many it takes in memory
   */
  public record Size(int rows, long bytes) {}

  /**
   * How it was used.
   *
   * @param uses at least so many hits: those within one step of the coarse clock count as one
   * @param idleNanos how long ago the last was
   * @param loadNanos how long the answer took to load
   */
  public record Use(long uses, long idleNanos, long loadNanos) {
    /** About how much time its uses have saved. */
    public long savedNanos() {
      return uses * loadNanos;
    }
  }

  /**
   * Whether it may be served.
   *
   * @param ageNanos how long ago it was loaded
   * @param remainingNanos how long it may be served yet, if nobody uses it meanwhile; {@link
   *     Long#MAX_VALUE} for ever
   * @param whyNot why it may not be; empty if it may
   * @param loadedBy which process has loaded it
   */
  public record Standing(long ageNanos, long remainingNanos, String whyNot, LoadedBy loadedBy) {
    /** Whether it may be served. */
    public boolean isFresh() {
      return whyNot.isEmpty();
    }
  }

  /** Who has loaded an answer. */
  public enum LoadedBy {
    /** The one that holds it. */
    THIS_PROCESS,
    /** One that ran before it, by way of a file. */
    EARLIER_PROCESS,
    /** One that runs beside it, by way of a shared store. */
    OTHER_PROCESS;

    /** In words. */
    public String inWords() {
      return switch (this) {
        case THIS_PROCESS -> "here";
        case EARLIER_PROCESS -> "earlier process";
        case OTHER_PROCESS -> "other process";
      };
    }
  }
}
