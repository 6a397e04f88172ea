package dev.warmshelf.measure.survey;

import dev.warmshelf.measure.database.DatabaseWork.Done;
import dev.warmshelf.statement.text.SqlTextException;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.OptionalDouble;

/**
 * What is known of a statement that reads.
 *
 * @param text as the server counts it
 * @param form its normal form's digest, by which rules name it; empty if the program's text may
 *     have values in it that are part of the form, and that the server does not show
 * @param work what the server did for it while it was watched
 * @param share of the server's time for all statements, from 0 to 1
 * @param questions how many different ones there can be, by what its parameters are compared with;
 *     empty if that is not bounded
 * @param index that would make it cheaper, as {@code table (column, ...)}; empty if none is seen
 * @param judged what keeping it is worth, or why it cannot be kept
 */
public record SurveyedStatement(
    String text,
    Optional<String> form,
    Done work,
    double share,
    OptionalDouble questions,
    Optional<String> index,
    Judged judged) {
  /** Of the server, below which it does not matter what is done about a statement. */
  static final double LITTLE_TIME = 0.005;

  private static final double FEW_HITS = 0.2;

  /** Whether its answers can be kept. */
  public sealed interface Judged {}

  /**
   * They can.
   *
   * @param dependsOn empty if it reads no table
   * @param byTables what keeping gives if each change of a table counts
   * @param byRows what it gives if changes are told apart by columns
   */
  public record Keepable(List<Dependence> dependsOn, Gain byTables, Gain byRows)
      implements Judged {}

  /**
   * They cannot.
   *
   * @param reason what, where, and what can be done
   */
  public record Refused(String reason) implements Judged {}

  /** What to do. */
  public enum Advice {
    /** Keep its answers. */
    KEEP("keep"),
    /** Make an index, then look again. */
    INDEX_FIRST("an index first"),
    /** It takes too little time to matter. */
    LITTLE_TIME("leave it: little time"),
    /** Its answers change before the question comes again, as far as one can guess. */
    FEW_HITS("leave it: few hits"),
    /** Its answers cannot be kept. */
    REFUSED("cannot be kept");

    private final String words;

    Advice(String words) {
      this.words = words;
    }

    /** In a few words. */
    public String words() {
      return words;
    }
  }

  /** Whether it is a program's statement, whatever values stand in that. */
  public boolean is(String sql) {
    try {
      return CountedText.withoutValues(sql).equals(CountedText.withoutValues(text));
    } catch (SqlTextException e) {
      return false;
    }
  }

  /** What to do. */
  public Advice advice() {
    if (share < LITTLE_TIME) {
      return judged instanceof Refused ? Advice.REFUSED : Advice.LITTLE_TIME;
    } else if (index.isPresent()) {
      return Advice.INDEX_FIRST;
    } else if (judged instanceof Keepable keepable) {
      return keepable.byRows().likely() < FEW_HITS ? Advice.FEW_HITS : Advice.KEEP;
    }
    return Advice.REFUSED;
  }

  /** Which share of the server's time keeping it would likely save, from 0 to 1. */
  public double likelySaved() {
    return judged instanceof Keepable keepable ? share * keepable.byRows().likely() : 0;
  }

  /** Of an execution, in nanoseconds. */
  public long meanNanos() {
    return work.calls() == 0 ? 0 : work.nanos() / work.calls();
  }

  /** How many different questions there can be, in words. */
  public String questionsInWords() {
    if (questions.isEmpty()) {
      return "any number of questions";
    }
    long most = Math.round(questions.getAsDouble());
    return most == 1
        ? "one question"
        : String.format(Locale.ROOT, "some %,d questions at most", most);
  }
}
