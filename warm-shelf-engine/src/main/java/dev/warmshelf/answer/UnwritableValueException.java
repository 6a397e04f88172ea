package dev.warmshelf.answer;

import java.io.IOException;

/** A value is of a type that is not written, so that its answer stays in its process. */
public final class UnwritableValueException extends IOException {
  private static final long serialVersionUID = 1;

  UnwritableValueException(Object value) {
    super("Values of " + value.getClass().getName() + " are not written.");
  }
}
