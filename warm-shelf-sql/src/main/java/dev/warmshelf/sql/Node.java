package dev.warmshelf.sql;

import dev.warmshelf.sql.Token.Kind;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/** A token, or what stands between parentheses: a statement as a tree. */
sealed interface Node {
  Set<String> COMPARISONS = Set.of("=", "<>", "<", ">", "<=", ">=");

  record Leaf(Token token) implements Node {}

  record Parenthesis(Token open, List<Node> inside, @Nullable Token close) implements Node {}

  /** The tree of a statement. Recurses as deep as parentheses nest: the caller bounds that. */
  static List<Node> tree(List<Token> tokens) {
    int[] at = {0};
    List<Node> nodes = new ArrayList<>();
    while (at[0] < tokens.size()) {
      nodes.addAll(siblings(tokens, at));
      if (at[0] < tokens.size()) {
        nodes.add(new Leaf(tokens.get(at[0]++))); // a closing parenthesis too many
      }
    }
    return nodes;
  }

  private static List<Node> siblings(List<Token> tokens, int[] at) {
    List<Node> nodes = new ArrayList<>();
    while (at[0] < tokens.size() && !tokens.get(at[0]).is(")")) {
      Token token = tokens.get(at[0]++);
      if (token.is("(")) {
        List<Node> inside = siblings(tokens, at);
        Token close = at[0] < tokens.size() ? tokens.get(at[0]++) : null;
        nodes.add(new Parenthesis(token, inside, close));
      } else {
        nodes.add(new Leaf(token));
      }
    }
    return nodes;
  }

  /** Whether this is one of PostgreSQL's six comparisons. */
  default boolean isComparison() {
    return this instanceof Leaf leaf
        && leaf.token().kind() == Kind.OPERATOR
        && COMPARISONS.contains(leaf.token().text());
  }

  /** Whether this is one of these words, unquoted. */
  default boolean isWord(Set<String> words) {
    return this instanceof Leaf leaf
        && leaf.token().kind() == Kind.WORD
        && words.contains(leaf.token().text());
  }

  default boolean isPunctuation(String text) {
    return this instanceof Leaf leaf
        && leaf.token().kind() == Kind.PUNCTUATION
        && leaf.token().text().equals(text);
  }
}
