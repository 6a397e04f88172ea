package dev.warmshelf.shelf;

/** An answer does not fit the type it is asked for as; the message names the column. */
public final class MappingException extends RuntimeException {
  private static final long serialVersionUID = 1L;

  /** With what does not fit, and what was expected. */
  public MappingException(String message) {
    super(message);
  }

  /** The same, with what was thrown. */
  public MappingException(String message, Throwable cause) {
    super(message, cause);
  }
}
