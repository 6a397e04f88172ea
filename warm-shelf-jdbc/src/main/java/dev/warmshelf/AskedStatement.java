package dev.warmshelf;

/**
 * A statement that came through {@link WarmShelf#dataSource()}, with all that ask the same.
 *
 * @param formDigest by which rules name it
 * @param normalForm what all that ask the same have
 * @param executions how often it was executed
 * @param answered how many of them a shelf has answered, or loaded for itself
 * @param standing what becomes of its answers, in words
 */
public record AskedStatement(
    String formDigest, String normalForm, long executions, long answered, String standing) {
  static final String NO_RULE = "no rule fits";
}
