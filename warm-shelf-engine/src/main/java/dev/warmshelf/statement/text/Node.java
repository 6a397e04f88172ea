package dev.warmshelf.statement.text;

import dev.warmshelf.statement.text.Token.Kind;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.List;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * A token, or what stands between parentheses or square brackets: a statement as a tree. Brackets
 * count, since a comma or an {@code AND} inside {@code ARRAY[a, b AND c]} belongs to the array.
 */
sealed interface Node {
  Set<String> COMPARISONS = Set.of("=", "<>", "<", ">", "<=", ">=");

  record Leaf(Token token) implements Node {}

  record Group(Token open, List<Node> inside, Token close) implements Node {
    boolean isParenthesis() {
      return open.is("(");
    }
  }

  /**
   * The tree of a statement, or null if what opens does not close in order, or nests deeper than
   * allowed.
   */
  static @Nullable List<Node> tree(List<Token> tokens, int deepest) {
    Deque<List<Node>> open = new ArrayDeque<>();
    Deque<Token> openers = new ArrayDeque<>();
    List<Node> current = new ArrayList<>();
    for (Token token : tokens) {
      if (token.is("(") || token.is("[")) {
        open.push(current);
        openers.push(token);
        current = new ArrayList<>();
        if (openers.size() > deepest) {
          return null;
        }
      } else if (token.is(")") || token.is("]")) {
        if (openers.isEmpty() || openers.peek().is("(") != token.is(")")) {
          return null;
        }
        Group group = new Group(openers.pop(), current, token);
        current = open.pop();
        current.add(group);
      } else {
        current.add(new Leaf(token));
      }
    }
    return openers.isEmpty() ? current : null;
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
