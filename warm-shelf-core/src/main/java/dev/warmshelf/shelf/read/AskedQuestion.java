package dev.warmshelf.shelf.read;

import java.util.List;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * A question as it was asked: enough to ask it again.
 *
 * @param text the statement as the engineer wrote it
 * @param parameters its parameters' names
 * @param values as many values; elements may be null. Not copied: whoever makes this hands them
 *     over
 */
public record AskedQuestion(String text, List<String> parameters, List<@Nullable Object> values) {
  /**
   * As many values as parameters.
   *
   * @throws IllegalArgumentException if there are more or fewer
   */
  public AskedQuestion {
    Objects.requireNonNull(text, "text");
    if (parameters.size() != values.size()) {
      throw new IllegalArgumentException(
          "There are " + parameters.size() + " parameters, but " + values.size() + " values.");
    }
  }
}
