package dev.warmshelf.statement;

import dev.warmshelf.statement.text.Token;
import java.util.List;
import java.util.function.ToIntFunction;

/**
 * Why a statement's answers are not kept.
 *
 * @param reason the kind of refusal
 * @param subject what it is about
 * @param word the word of a text by which to find the place; empty if there is none
 * @param position where in the engineer's text, from 0; -1 if nowhere in particular
 * @param views the views through which the statement comes to it, from the statement on
 */
public record Refusal(
    Reason reason, String subject, String word, int position, List<String> views) {
  /** The kinds of refusal. */
  public enum Reason {
    /** There is no statement. */
    EMPTY,
    /** The database does not take it. */
    NOT_UNDERSTOOD,
    /** The database does not let itself be asked about it. */
    MAY_NOT_ASK,
    /** It is more than one. */
    SEVERAL_STATEMENTS,
    /** It writes. */
    CHANGES_DATA,
    /** It locks rows. */
    LOCKS_ROWS,
    /** It takes a sample. */
    SAMPLES,
    /** It reads a column that changes though no row does. */
    READS_SYSTEM_COLUMN,
    /** It depends on when or as whom it is run. */
    DEPENDS_ON_MOMENT_OR_SESSION,
    /** A text of it may be read as the moment. */
    MOMENT_BY_TEXT,
    /** A function of it can give another answer each time. */
    VOLATILE_FUNCTION,
    /** A function of it may read tables unseen. */
    MAY_READ_TABLES,
    /** The database's tree of it has a part that is not known here. */
    UNKNOWN_NODE,
    /** It reads a relation whose changes nobody tells. */
    UNFOLLOWABLE_RELATION,
    /** It has a value whose meaning may change unseen. */
    UNFOLLOWABLE_TYPE,
    /** It is nested too deep. */
    TOO_DEEP,
    /** It compares too many values. */
    TOO_LONG,
    /** No feed tells about one of its tables. */
    NOT_FOLLOWED
  }

  /** Keeps a copy of the list. */
  public Refusal {
    views = List.copyOf(views);
  }

  /** A refusal of a statement as such. */
  public Refusal(Reason reason, String subject, int position) {
    this(reason, subject, "", position, List.of());
  }

  /** A word as texts are searched for it. */
  public static String lower(String word) {
    return Token.fold(word);
  }

  /** Whether declaring the tables that are read would do away with it. */
  public boolean mayBeDeclared() {
    return switch (reason) {
      case MAY_READ_TABLES, UNKNOWN_NODE, TOO_DEEP, TOO_LONG -> true;
      default -> false;
    };
  }

  /**
   * The same with its place in a text.
   *
   * @param positionOf a word's first place in the text, from 0; -1 if it is not there
   */
  public Refusal in(ToIntFunction<String> positionOf) {
    String sought = views.isEmpty() ? word : views.get(0).substring(views.get(0).indexOf('.') + 1);
    return position >= 0 || sought.isEmpty()
        ? this
        : new Refusal(reason, subject, word, positionOf.applyAsInt(sought), views);
  }

  /** The refusal in words: what, where, and what the engineer can do. */
  public String message() {
    String through =
        views.isEmpty() ? "" : ", in view " + String.join(", which reads view ", views);
    return said() + through + (position < 0 ? "" : " (position " + (position + 1) + ")");
  }

  private String said() {
    return switch (reason) {
      case EMPTY -> "there is no statement";
      case NOT_UNDERSTOOD -> "the database does not take it: " + subject;
      case MAY_NOT_ASK ->
          "the database does not let itself be asked what it reads ("
              + subject
              + "); this role needs GRANT TEMPORARY ON DATABASE, and no event trigger against it";
      case SEVERAL_STATEMENTS -> "more than one statement; ask one question at a time";
      case CHANGES_DATA -> "it changes data; run it with write(...)";
      case LOCKS_ROWS -> "it locks rows, so the database must run it each time";
      case SAMPLES -> "a sample differs each time it is taken";
      case READS_SYSTEM_COLUMN ->
          "'" + subject + "' is a system column, which changes though no row does";
      case DEPENDS_ON_MOMENT_OR_SESSION ->
          "'" + subject + "' depends on the moment or the session; pass it as a parameter";
      case MOMENT_BY_TEXT ->
          subject
              + ", which may be a word like 'now'; read it with a format, as to_date(...) does, or"
              + " pass a date";
      case VOLATILE_FUNCTION -> subject + " can give another answer each time";
      case MAY_READ_TABLES ->
          subject
              + " is not immutable, so it may read tables or settings that nobody can see in the"
              + " statement; declare the tables, or the function IMMUTABLE if it reads none";
      case UNKNOWN_NODE ->
          "the database's analysis of it has a part that is not known here, "
              + subject
              + "; declare its tables";
      case UNFOLLOWABLE_RELATION -> subject + ", whose changes cannot be followed";
      case UNFOLLOWABLE_TYPE -> subject + ", and nothing tells when that changes";
      case TOO_DEEP -> "it is nested too deep, at " + subject + "; declare its tables";
      case TOO_LONG ->
          "it compares more than "
              + subject
              + " values; give them as one list, or declare its tables";
      case NOT_FOLLOWED ->
          "no feed tells about changes to " + subject + "; install the journal on that table";
    };
  }
}
