package dev.warmshelf.testing;

import java.util.List;
import java.util.stream.Collectors;

/**
 * Statements that were sent to the database, in their order, up to when they were asked for. The
 * library's own are among them, such as its questions about a statement's tables; what the feed
 * asks is not. Immutable.
 */
public final class SentStatements {
  private static final int LONGEST = 120;

  private final List<String> texts;
  private final String which;

  SentStatements(List<String> texts, String which) {
    this.texts = texts;
    this.which = which;
  }

  /** Those whose text has this in it, as it stands. */
  public SentStatements containing(String part) {
    return new SentStatements(
        texts.stream().filter(text -> text.contains(part)).toList(),
        which + " with '" + part + "' in it");
  }

  /** Their texts. */
  public List<String> texts() {
    return texts;
  }

  /**
   * So many were sent.
   *
   * @return this
   * @throws AssertionError if there were more or fewer; it lists them
   */
  public SentStatements wereSent(int times) {
    if (texts.size() != times) {
      throw new AssertionError(
          "Expected statements"
              + which
              + " to "
              + Words.be("sent", times)
              + ", but they "
              + Words.were("sent", texts.size())
              + "."
              + texts.stream()
                  .map(text -> "\n  " + Words.cut(text, LONGEST))
                  .collect(Collectors.joining()));
    }
    return this;
  }

  /**
   * None was sent.
   *
   * @throws AssertionError if one was; it lists them
   */
  public void wereNotSent() {
    wereSent(0);
  }
}
