package dev.warmshelf.outside;

import dev.warmshelf.key.KeyShape;
import java.util.Map;
import java.util.Objects;

/**
 * What many written answers share.
 *
 * @param shelf the shelf's name
 * @param shape of their keys
 * @param prints what their statement stands on in the schema, and what that was like
 */
public record WrittenForm(String shelf, KeyShape shape, Map<String, String> prints) {
  /** Nothing is null. */
  public WrittenForm {
    Objects.requireNonNull(shelf, "shelf");
    Objects.requireNonNull(shape, "shape");
    prints = Map.copyOf(prints);
  }
}
