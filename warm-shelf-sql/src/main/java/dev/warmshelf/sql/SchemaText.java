package dev.warmshelf.sql;

import dev.warmshelf.key.Lane;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * A catalogue read from the text of a schema: {@code CREATE TABLE}, {@code VIEW}, {@code FUNCTION}
 * and their kin. Other statements are passed over. Unqualified names are in {@code public}.
 *
 * <p>Immutable once read.
 */
public final class SchemaText implements Catalogue {
  private static final Set<String> MODIFIERS =
      Set.of(
          "or",
          "replace",
          "unlogged",
          "global",
          "local",
          "recursive",
          "temp",
          "temporary",
          "materialized",
          "foreign");

  private final Map<Lane, Relation> relations = new HashMap<>();
  private final Map<Lane, Lane> parents = new HashMap<>();
  private final Map<Lane, Volatility> functions = new HashMap<>();

  private SchemaText() {}

  /**
   * Reads a text.
   *
   * @throws SqlTextException if it is no sequence of SQL tokens
   */
  public static SchemaText of(String text) {
    SchemaText schema = new SchemaText();
    Lexer.tokens(text); // says where a quote does not end, before the text is split
    for (String statement : SqlStatement.split(text)) {
      schema.read(statement, Lexer.tokens(statement));
    }
    return schema;
  }

  @Override
  public Relation relation(@Nullable String schema, String name) {
    Lane known = Lane.ofTable(schema == null ? "public" : schema, name);
    Relation relation = relations.get(known);
    if (relation instanceof Relation.Table) {
      Lane root = known;
      for (int steps = parents.size(); steps > 0 && parents.containsKey(root); steps--) {
        root = parents.getOrDefault(root, root);
      }
      return new Relation.Table(root);
    }
    return relation == null ? new Relation.Missing() : relation;
  }

  @Override
  public Volatility function(@Nullable String schema, String name) {
    return functions.getOrDefault(
        Lane.ofTable(schema == null ? "public" : schema, name),
        schema == null || schema.equals("pg_catalog") ? Volatility.UNKNOWN : Volatility.MISSING);
  }

  private void read(String statement, List<Token> tokens) {
    if (tokens.isEmpty() || !tokens.get(0).is("create")) {
      return;
    }
    int at = 1;
    Set<String> modifiers = new HashSet<>();
    while (at < tokens.size() && MODIFIERS.contains(tokens.get(at).text())) {
      modifiers.add(tokens.get(at).text());
      at++;
    }
    boolean temporary = modifiers.contains("temp") || modifiers.contains("temporary");
    boolean materialized = modifiers.contains("materialized");
    boolean foreign = modifiers.contains("foreign");
    if (at >= tokens.size()) {
      return;
    }
    String what = tokens.get(at).text();
    Named named = nameAfter(tokens, at + 1);
    if (named == null) {
      return;
    }
    if (what.equals("table")) {
      relations.put(
          named.full(),
          temporary
              ? new Relation.Unfollowable("a temporary table")
              : foreign
                  ? new Relation.Unfollowable("a foreign table")
                  : modifiers.contains("unlogged")
                      ? new Relation.Unfollowable("an unlogged table")
                      : new Relation.Table(named.full()));
      readParent(tokens, named);
    } else if (what.equals("view")) {
      relations.put(
          named.full(),
          materialized
              ? new Relation.Unfollowable("a materialized view")
              : new Relation.View(queryOf(statement, tokens, named.end())));
    } else if (what.equals("function")) {
      functions.merge(
          named.full(), volatility(tokens), (one, other) -> one.compareTo(other) > 0 ? one : other);
    }
  }

  private void readParent(List<Token> tokens, Named child) {
    for (int i = child.end(); i + 1 < tokens.size(); i++) {
      boolean partition = tokens.get(i).is("partition") && tokens.get(i + 1).is("of");
      boolean inherits = tokens.get(i).is("inherits") && tokens.get(i + 1).is("(");
      if (partition || inherits) {
        Named parent = nameAfter(tokens, i + 2);
        if (parent != null) {
          parents.put(child.full(), parent.full());
        }
        return;
      }
    }
  }

  /** What stands after the view's {@code AS}. */
  private static String queryOf(String statement, List<Token> tokens, int from) {
    for (int i = from; i + 1 < tokens.size(); i++) {
      if (tokens.get(i).is("as")) {
        return statement.substring(tokens.get(i + 1).position());
      }
    }
    return "";
  }

  private static Volatility volatility(List<Token> tokens) {
    for (Token token : tokens) {
      if (token.is("immutable")) {
        return Volatility.IMMUTABLE;
      } else if (token.is("stable")) {
        return Volatility.STABLE;
      }
    }
    return Volatility.VOLATILE;
  }

  /**
   * @param full schema and name
   * @param end the token after the name
   */
  private record Named(Lane full, int end) {}

  private static @Nullable Named nameAfter(List<Token> tokens, int from) {
    int at = from;
    while (at < tokens.size()
        && (tokens.get(at).is("if") || tokens.get(at).is("not") || tokens.get(at).is("exists"))) {
      at++;
    }
    if (at >= tokens.size() || !tokens.get(at).isIdentifier()) {
      return null;
    }
    String first = tokens.get(at).name();
    if (at + 2 < tokens.size() && tokens.get(at + 1).is(".")) {
      return new Named(Lane.ofTable(first, tokens.get(at + 2).name()), at + 3);
    }
    return new Named(Lane.ofTable("public", first), at + 1);
  }
}
