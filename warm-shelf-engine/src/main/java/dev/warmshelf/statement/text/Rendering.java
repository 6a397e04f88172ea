package dev.warmshelf.statement.text;

import dev.warmshelf.statement.text.Token.Kind;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;

/**
 * Tokens as one line of text.
 *
 * @param starts where each token begins in the text
 */
public record Rendering(String text, List<Integer> starts) {
  /** Words of the language that a parenthesis may follow, and that call nothing. */
  private static final Set<String> SPACE_BEFORE_PARENTHESIS =
      Set.of(
          "all",
          "and",
          "any",
          "as",
          "between",
          "by",
          "case",
          "distinct",
          "else",
          "end",
          "except",
          "exists",
          "filter",
          "from",
          "group",
          "having",
          "in",
          "intersect",
          "is",
          "join",
          "lateral",
          "like",
          "limit",
          "materialized",
          "not",
          "offset",
          "on",
          "or",
          "over",
          "select",
          "some",
          "then",
          "union",
          "using",
          "values",
          "when",
          "where",
          "with");

  /** How a parameter is written in a rendering. */
  public interface ParameterStyle {
    /** The text that stands for the parameter of this name. */
    String write(String name);
  }

  /**
   * Tokens on one line, with blanks where a reader expects them. Reading it again gives the same.
   */
  public static Rendering of(List<Token> tokens, ParameterStyle style) {
    StringBuilder out = new StringBuilder();
    List<Integer> starts = new ArrayList<>();
    Token before = null;
    for (Token token : tokens) {
      if (before != null && isSpaced(before, token)) {
        out.append(' ');
      }
      starts.add(out.length());
      out.append(token.kind() == Kind.PARAMETER ? style.write(token.text()) : token.text());
      before = token;
    }
    return new Rendering(out.toString(), List.copyOf(starts));
  }

  private static boolean isSpaced(Token left, Token right) {
    if (right.is(",") || right.is(")") || right.is("]") || right.is(";") || right.is("...")) {
      return false;
    }
    if (left.is("(") || left.is("[")) {
      return false;
    }
    if (right.is(".") || left.is(".")) {
      return left.kind() == Kind.NUMBER || right.kind() == Kind.NUMBER;
    }
    if (right.is("(")) {
      return left.kind() != Kind.NAME
          && (left.kind() != Kind.WORD || SPACE_BEFORE_PARENTHESIS.contains(left.text()));
    }
    if (right.is("[")) {
      return !left.isIdentifier() && !left.is(")") && !left.is("]");
    }
    return !isCast(left) && !isCast(right);
  }

  private static boolean isCast(Token token) {
    return token.kind() == Kind.OPERATOR && token.text().equals("::");
  }
}
