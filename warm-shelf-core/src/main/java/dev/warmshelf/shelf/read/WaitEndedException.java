package dev.warmshelf.shelf.read;

import org.jspecify.annotations.Nullable;

/**
 * A caller that waited for another caller's load was interrupted, in which case the thread's
 * interrupt stays set and is the cause, or waited for as long as it had allowed.
 */
public final class WaitEndedException extends RuntimeException {
  private static final long serialVersionUID = 1L;

  WaitEndedException(String message, @Nullable InterruptedException cause) {
    super(message, cause);
  }

  /** Whether the caller was interrupted; else its time was over. */
  public boolean wasInterrupted() {
    return getCause() != null;
  }
}
