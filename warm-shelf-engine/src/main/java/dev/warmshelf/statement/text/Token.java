package dev.warmshelf.statement.text;

import java.util.Locale;

/**
 * One token of a statement.
 *
 * @param text as it stands in the normal form: a word in lower case, a parameter as its name, all
 *     else as written
 * @param position where it begins in the engineer's text, from 0
 * @param end where it ends in the engineer's text, exclusive
 */
public record Token(Kind kind, String text, int position, int end) {
  /** What a token is. */
  public enum Kind {
    /** A keyword or an unquoted identifier. */
    WORD,
    /** An unquoted identifier after a dot, which is never a keyword. */
    NAME,
    QUOTED_IDENTIFIER,
    STRING,
    NUMBER,
    PARAMETER,
    OPERATOR,
    /** One of {@code ( ) [ ] , ; .} or a colon. */
    PUNCTUATION
  }

  /** Whether it is this word, unquoted, or this punctuation. */
  public boolean is(String punctuationOrWord) {
    return (kind == Kind.WORD || kind == Kind.PUNCTUATION) && text.equals(punctuationOrWord);
  }

  /** How much deeper the tokens after this one are nested: 1, 0 or -1. */
  int nesting() {
    if (is("(") || is("[")) {
      return 1;
    }
    return is(")") || is("]") ? -1 : 0;
  }

  /** Whether it can name something. */
  public boolean isIdentifier() {
    return kind == Kind.WORD || kind == Kind.NAME || kind == Kind.QUOTED_IDENTIFIER;
  }

  /** The name an identifier stands for: {@code "Ferry ""A"""} is {@code Ferry "A"}. */
  public String name() {
    return kind == Kind.QUOTED_IDENTIFIER
        ? text.substring(1, text.length() - 1).replace("\"\"", "\"")
        : text;
  }

  /**
   * The database folds the 26 letters of ASCII and leaves the rest alone (in multi-byte encodings,
   * PostgreSQL manual 4.1.1 and downcase_identifier in its sources).
   */
  public static String fold(String word) {
    for (int i = 0; i < word.length(); i++) {
      if (word.charAt(i) > 0x7f) {
        StringBuilder folded = new StringBuilder(word.length());
        word.chars().forEach(c -> folded.append((char) (c >= 'A' && c <= 'Z' ? c + 32 : c)));
        return folded.toString();
      }
    }
    return word.toLowerCase(Locale.ROOT);
  }
}
