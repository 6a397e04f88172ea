package dev.warmshelf.statement.text;

/** A text that is not even a sequence of SQL tokens. The message names the place. */
public final class SqlTextException extends IllegalArgumentException {
  private static final long serialVersionUID = 1L;

  private final int position;

  /** At this index of the text, from 0. */
  public SqlTextException(int position, String problem) {
    super(problem + " at position " + (position + 1) + " of the statement.");
    this.position = position;
  }

  /** Index into the text, from 0; the message counts from 1. */
  public int position() {
    return position;
  }
}
