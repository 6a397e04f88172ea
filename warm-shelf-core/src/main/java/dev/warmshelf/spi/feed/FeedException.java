package dev.warmshelf.spi.feed;

/** A feed could not start; the message says why and what to do. */
public final class FeedException extends Exception {
  private static final long serialVersionUID = 1L;

  /** With why it cannot be followed, and what to do. */
  public FeedException(String message) {
    super(message);
  }

  /** The same, with what was thrown. */
  public FeedException(String message, Throwable cause) {
    super(message, cause);
  }
}
