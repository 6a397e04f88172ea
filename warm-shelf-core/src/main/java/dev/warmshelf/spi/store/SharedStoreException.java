package dev.warmshelf.spi.store;

/** A shared store could not do what it was asked; why, and what to do, is its message. */
public final class SharedStoreException extends Exception {
  private static final long serialVersionUID = 1;

  /** For a cause of its own. */
  public SharedStoreException(String message) {
    super(message);
  }

  /** For another's. */
  public SharedStoreException(String message, Throwable cause) {
    super(message, cause);
  }
}
