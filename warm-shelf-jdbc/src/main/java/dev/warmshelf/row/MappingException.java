package dev.warmshelf.row;

/** An answer does not fit the type it is asked for as; the message names the column. */
public final class MappingException extends RuntimeException {
  private static final long serialVersionUID = 1L;

  MappingException(String message) {
    super(message);
  }

  MappingException(String message, Throwable cause) {
    super(message, cause);
  }
}
