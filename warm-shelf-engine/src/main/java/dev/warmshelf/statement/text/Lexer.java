package dev.warmshelf.statement.text;

import dev.warmshelf.statement.text.Token.Kind;
import java.util.ArrayList;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A statement as tokens, by the rules of the PostgreSQL manual, section 4.1: nested comments,
 * quoted identifiers, strings with and without escapes, dollar quotes, and where an operator ends.
 * Parameters are {@code :name}, {@code ?} or {@code $1}.
 *
 * <p>Where this lexer and the database's could ever disagree it must err by splitting a text in a
 * way of its own, never by making two texts one: a token's text is the engineer's, but for letter
 * case where the database ignores it.
 */
public final class Lexer {
  private static final String OPERATOR_CHARACTERS = "+-*/<>=~!@#%^&|`?";
  private static final String LETS_OPERATOR_END_IN_SIGN = "~!@#%^&|`?";

  private final String text;
  private final List<Token> tokens = new ArrayList<>();
  private int at;

  private Lexer(String text) {
    this.text = text;
  }

  /**
   * The tokens of a text.
   *
   * @throws SqlTextException if it is no sequence of tokens
   */
  public static List<Token> tokens(String text) {
    Lexer lexer = new Lexer(text);
    lexer.run();
    return lexer.tokens;
  }

  private void run() {
    int positional = 0;
    while (skipBlanksAndComments()) {
      int start = at;
      char c = text.charAt(at);
      if (isIdentifierStart(c)) {
        wordOrPrefixedLiteral(start);
      } else if (c == '"') {
        at = closing(start, '"', "identifier");
        add(Kind.QUOTED_IDENTIFIER, start);
      } else if (c == '\'') {
        at = closing(start, '\'', "string");
        add(Kind.STRING, start);
      } else if (c == '$') {
        dollar(start);
      } else if (isDigit(c)
          || (c == '.' && at + 1 < text.length() && isDigit(text.charAt(at + 1)))) {
        number();
        add(Kind.NUMBER, start);
      } else if (c == ':' && isParameterNameAt(at + 1)) {
        at++;
        skipIdentifier();
        tokens.add(new Token(Kind.PARAMETER, text.substring(start + 1, at), start, at));
      } else if (c == '?' && !text.startsWith("??", at)) {
        at++;
        tokens.add(new Token(Kind.PARAMETER, Integer.toString(++positional), start, at));
      } else if (OPERATOR_CHARACTERS.indexOf(c) >= 0) {
        operator();
        add(Kind.OPERATOR, start);
      } else if (text.startsWith("::", at) || text.startsWith(":=", at)) {
        at += 2;
        add(Kind.OPERATOR, start);
      } else if ("()[],;.:".indexOf(c) >= 0) {
        at++;
        add(Kind.PUNCTUATION, start);
      } else {
        throw new SqlTextException(at, "Unexpected character '" + c + "'");
      }
    }
  }

  private void add(Kind kind, int start) {
    String raw = text.substring(start, at);
    Token before = tokens.isEmpty() ? null : tokens.get(tokens.size() - 1);
    if (kind == Kind.STRING
        && raw.startsWith("'")
        && before != null
        && before.kind() == Kind.STRING
        && before.text().endsWith("'")
        && text.substring(before.end(), start).indexOf('\n') >= 0) {
      // Strings on several lines are one (manual, 4.1.2.1).
      String first = before.text().substring(0, before.text().length() - 1);
      tokens.set(
          tokens.size() - 1,
          new Token(Kind.STRING, first + raw.substring(1), before.position(), at));
      return;
    }
    tokens.add(new Token(kind, raw.equals("!=") ? "<>" : raw, start, at));
  }

  private void wordOrPrefixedLiteral(int start) {
    char c = text.charAt(start);
    char next = start + 1 < text.length() ? text.charAt(start + 1) : 0;
    if (next == '\'' && "eEbBxXnN".indexOf(c) >= 0) {
      boolean escapes = c == 'e' || c == 'E';
      at = escapes ? closingWithEscapes(start + 1) : closing(start + 1, '\'', "string");
      add(Kind.STRING, start);
    } else if ((c == 'u' || c == 'U') && text.startsWith("&'", start + 1)) {
      at = closing(start + 2, '\'', "string");
      add(Kind.STRING, start);
    } else if ((c == 'u' || c == 'U') && text.startsWith("&\"", start + 1)) {
      throw new SqlTextException(
          start, "Identifiers with Unicode escapes (U&\"...\") are not read");
    } else {
      skipIdentifier();
      boolean afterDot = !tokens.isEmpty() && tokens.get(tokens.size() - 1).is(".");
      Kind kind = afterDot ? Kind.NAME : Kind.WORD;
      tokens.add(new Token(kind, Token.fold(text.substring(start, at)), start, at));
    }
  }

  /** A parameter {@code $1} or a string {@code $tag$...$tag$}. */
  private void dollar(int start) {
    if (start + 1 < text.length() && isDigit(text.charAt(start + 1))) {
      at++;
      while (at < text.length() && isDigit(text.charAt(at))) {
        at++;
      }
      tokens.add(new Token(Kind.PARAMETER, text.substring(start + 1, at), start, at));
      return;
    }
    int tagEnd = start + 1;
    while (tagEnd < text.length()
        && isIdentifierPart(text.charAt(tagEnd))
        && text.charAt(tagEnd) != '$') {
      tagEnd++;
    }
    if (tagEnd >= text.length() || text.charAt(tagEnd) != '$') {
      throw new SqlTextException(start, "Unexpected '$'");
    }
    String tag = text.substring(start, tagEnd + 1);
    int end = text.indexOf(tag, tagEnd + 1);
    if (end < 0) {
      throw new SqlTextException(start, "No closing " + tag + " for the string that begins");
    }
    at = end + tag.length();
    add(Kind.STRING, start);
  }

  private void number() {
    if (text.startsWith("0x", at) || text.startsWith("0X", at)) {
      at += 2;
      while (at < text.length() && Character.digit(text.charAt(at), 16) >= 0) {
        at++;
      }
      return;
    }
    digits();
    if (at < text.length() && text.charAt(at) == '.' && !text.startsWith("..", at)) {
      at++;
      digits();
    }
    if (at < text.length() && (text.charAt(at) == 'e' || text.charAt(at) == 'E')) {
      int exponent = at + 1;
      if (exponent < text.length() && "+-".indexOf(text.charAt(exponent)) >= 0) {
        exponent++;
      }
      if (exponent < text.length() && isDigit(text.charAt(exponent))) {
        at = exponent;
        digits();
      }
    }
  }

  private void digits() {
    while (at < text.length() && (isDigit(text.charAt(at)) || text.charAt(at) == '_')) {
      at++;
    }
  }

  /** An operator ends before a comment, and in + or - only if it holds a character that lets it. */
  private void operator() {
    int start = at;
    while (at < text.length()
        && OPERATOR_CHARACTERS.indexOf(text.charAt(at)) >= 0
        && !text.startsWith("--", at)
        && !text.startsWith("/*", at)) {
      if (text.startsWith("??", at)) { // the driver's way to write an operator's question mark
        at += 2;
      } else if (text.charAt(at) == '?') {
        break;
      } else {
        at++;
      }
    }
    while (at - start > 1
        && "+-".indexOf(text.charAt(at - 1)) >= 0
        && text.substring(start, at)
            .chars()
            .noneMatch(c -> LETS_OPERATOR_END_IN_SIGN.indexOf(c) >= 0)) {
      at--;
    }
  }

  private int closing(int open, char quote, String what) {
    int i = open + 1;
    while (true) {
      i = text.indexOf(quote, i);
      if (i < 0) {
        throw new SqlTextException(open, "No closing quote for the " + what + " that begins");
      }
      if (i + 1 == text.length() || text.charAt(i + 1) != quote) {
        return i + 1;
      }
      i += 2;
    }
  }

  private int closingWithEscapes(int open) {
    for (int i = open + 1; i < text.length(); i++) {
      char c = text.charAt(i);
      if (c == '\\') {
        i++;
      } else if (c == '\'') {
        if (i + 1 == text.length() || text.charAt(i + 1) != '\'') {
          return i + 1;
        }
        i++;
      }
    }
    throw new SqlTextException(open, "No closing quote for the string that begins");
  }

  /** Moves to the next token; false at the end of the text. */
  private boolean skipBlanksAndComments() {
    while (at < text.length()) {
      if (text.startsWith("--", at)) {
        at = lineEnd(at);
      } else if (text.startsWith("/*", at)) {
        skipBlockComment();
      } else if (isBlank(text.charAt(at))) {
        at++;
      } else {
        return true;
      }
    }
    return false;
  }

  private int lineEnd(int from) {
    for (int i = from; i < text.length(); i++) {
      if (text.charAt(i) == '\n' || text.charAt(i) == '\r') {
        return i;
      }
    }
    return text.length();
  }

  private void skipBlockComment() {
    int start = at;
    int depth = 0;
    do {
      if (text.startsWith("/*", at)) {
        depth++;
        at += 2;
      } else if (text.startsWith("*/", at)) {
        depth--;
        at += 2;
      } else if (at >= text.length()) {
        throw new SqlTextException(start, "No end of the comment that begins");
      } else {
        at++;
      }
    } while (depth > 0);
  }

  private void skipIdentifier() {
    while (at < text.length() && isIdentifierPart(text.charAt(at))) {
      at++;
    }
  }

  private boolean isParameterNameAt(int index) {
    return index < text.length()
        && isIdentifierStart(text.charAt(index))
        && (index < 2 || text.charAt(index - 2) != ':');
  }

  private static boolean isBlank(char c) {
    return c == ' ' || c == '\n' || c == '\r' || c == '\t' || c == '\f' || c == 0x0b;
  }

  private static boolean isDigit(char c) {
    return c >= '0' && c <= '9';
  }

  private static boolean isIdentifierStart(char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_' || c > 0x7f;
  }

  private static boolean isIdentifierPart(char c) {
    return isIdentifierStart(c) || isDigit(c) || c == '$';
  }

  /** The token at this index, or null beyond either end. */
  public static @Nullable Token at(List<Token> tokens, int index) {
    return index >= 0 && index < tokens.size() ? tokens.get(index) : null;
  }
}
