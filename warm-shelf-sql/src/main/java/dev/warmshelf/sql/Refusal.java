package dev.warmshelf.sql;

/**
 * Why a statement's answers are not kept.
 *
 * @param reason the kind of refusal
 * @param subject what it is about: a word of the statement, or a name
 * @param position where in the engineer's text, from 0; -1 if nowhere in particular
 */
public record Refusal(Reason reason, String subject, int position) {
  /** The kinds of refusal. */
  public enum Reason {
    EMPTY,
    NOT_PARSED,
    SEVERAL_STATEMENTS,
    NOT_A_READ,
    CHANGES_DATA,
    LOCKS_ROWS,
    SAMPLES,
    READS_SYSTEM_COLUMN,
    DEPENDS_ON_MOMENT_OR_SESSION,
    VOLATILE_FUNCTION,
    MAY_READ_TABLES,
    UNKNOWN_FUNCTION,
    UNKNOWN_OPERATOR,
    TOO_LONG,
    UNKNOWN_RELATION,
    UNFOLLOWABLE_RELATION,
    TOO_DEEP,
    NOT_FOLLOWED
  }

  /** Whether declaring the tables that are read would do away with it. */
  public boolean mayBeDeclared() {
    return switch (reason) {
      case NOT_PARSED, MAY_READ_TABLES, UNKNOWN_FUNCTION, UNKNOWN_OPERATOR, TOO_LONG, TOO_DEEP ->
          true;
      default -> false;
    };
  }

  /** The refusal in words: what, where, and what the engineer can do. */
  public String message() {
    String said =
        switch (reason) {
          case EMPTY -> "there is no statement";
          case NOT_PARSED ->
              "the statement is not understood at '"
                  + subject
                  + "'; if it is right, declare its tables";
          case SEVERAL_STATEMENTS -> "more than one statement; ask one question at a time";
          case NOT_A_READ -> "'" + subject + "' is not a read; only SELECT, VALUES and TABLE are";
          case CHANGES_DATA -> "'" + subject + "' changes data";
          case LOCKS_ROWS -> "'" + subject + "' locks rows, so the database must run it each time";
          case SAMPLES -> "a sample differs each time it is taken";
          case READS_SYSTEM_COLUMN ->
              "'" + subject + "' is a system column, which changes though no row does";
          case DEPENDS_ON_MOMENT_OR_SESSION ->
              "'" + subject + "' depends on the moment or the session; pass it as a parameter";
          case VOLATILE_FUNCTION -> subject + "() can give another answer each time";
          case MAY_READ_TABLES ->
              subject
                  + "() is not immutable, so it may read tables or settings that nobody can see in"
                  + " the statement; declare the tables, or the function IMMUTABLE if it reads none";
          case UNKNOWN_FUNCTION ->
              "nothing is known about " + subject + "(); with a database its catalogue is asked";
          case UNKNOWN_OPERATOR ->
              "the operator "
                  + subject
                  + " is not one of PostgreSQL's own, so nothing is known of it";
          case TOO_LONG -> "the statement is longer than " + subject + " tokens";
          case UNKNOWN_RELATION -> "there is no table or view '" + subject + "'";
          case UNFOLLOWABLE_RELATION -> subject + ", whose changes cannot be followed";
          case TOO_DEEP -> "parentheses are nested more than " + subject + " deep";
          case NOT_FOLLOWED ->
              "no feed tells about changes to " + subject + "; install the journal on that table";
        };
    return position < 0 ? said : said + " (position " + (position + 1) + ")";
  }
}
