package dev.warmshelf.sql;

import java.util.ArrayList;
import java.util.List;

/**
 * Where in a statement a name means a common table expression. A plain one is visible after its own
 * body, up to the end of the query it belongs to; those of {@code WITH RECURSIVE} are visible from
 * the beginning of their list, in all bodies. A query ends where its parenthesis does.
 */
final class CteScopes {
  /**
   * @param from the first token at which the name is visible
   * @param to the token at which the query ends
   */
  private record Scope(String name, int from, int to) {}

  private final List<Scope> scopes = new ArrayList<>();

  private CteScopes() {}

  static CteScopes of(List<Token> tokens) {
    CteScopes found = new CteScopes();
    for (int i = 0; i < tokens.size(); i++) {
      if (tokens.get(i).is("with")) {
        found.readList(tokens, i);
      }
    }
    return found;
  }

  /** Whether an unqualified name at this token means a common table expression. */
  boolean isCte(String name, int index) {
    return scopes.stream()
        .anyMatch(
            scope -> scope.name().equals(name) && scope.from() <= index && index < scope.to());
  }

  /** Reads {@code WITH [RECURSIVE] name [(columns)] AS [[NOT] MATERIALIZED] (body), ...}. */
  private void readList(List<Token> tokens, int with) {
    int end = endOfGroup(tokens, with);
    int at = with + 1;
    boolean recursive = at < end && tokens.get(at).is("recursive");
    if (recursive) {
      at++;
    }
    while (at < end && tokens.get(at).isIdentifier()) {
      String name = tokens.get(at).name();
      at++;
      if (at < end && tokens.get(at).is("(")) {
        at = endOfGroup(tokens, at + 1) + 1;
      }
      if (at >= end || !tokens.get(at).is("as")) {
        return; // WITH TIME ZONE, WITH ORDINALITY, WITH TIES
      }
      at++;
      while (at < end && (tokens.get(at).is("not") || tokens.get(at).is("materialized"))) {
        at++;
      }
      if (at >= end || !tokens.get(at).is("(")) {
        return;
      }
      int bodyEnd = endOfGroup(tokens, at + 1);
      scopes.add(new Scope(name, recursive ? with : bodyEnd, end));
      at = bodyEnd + 1;
      if (at >= end || !tokens.get(at).is(",")) {
        return;
      }
      at++;
    }
  }

  /** The closing parenthesis of the group that a token stands in, or the end of the statement. */
  private static int endOfGroup(List<Token> tokens, int inside) {
    int depth = 0;
    for (int i = inside; i < tokens.size(); i++) {
      if (tokens.get(i).is("(")) {
        depth++;
      } else if (tokens.get(i).is(")") && --depth < 0) {
        return i;
      }
    }
    return tokens.size();
  }
}
