package dev.warmshelf.sql;

import dev.warmshelf.key.Lane;
import dev.warmshelf.sql.Catalogue.Relation;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * The tables that a changing statement names as its targets. What it changes beside these, by
 * cascades, triggers and rules, no text tells.
 */
public final class WrittenTables {
  private static final Set<String> VERBS = Set.of("insert", "update", "delete", "merge", "with");

  private WrittenTables() {}

  /**
   * The lanes of the tables that the statement writes, or null if that is not certain.
   *
   * @throws CatalogueException if the catalogue could not be asked
   */
  public static @Nullable Set<Lane> of(SqlStatement statement, Catalogue catalogue) {
    List<Token> tokens = statement.tokens();
    if (tokens.isEmpty() || !VERBS.contains(tokens.get(0).text())) {
      return null;
    }
    Set<Lane> lanes = new HashSet<>();
    for (int i = 0; i < tokens.size(); i++) {
      int target = target(tokens, i);
      if (target >= 0) {
        Lane lane = lane(tokens, target, catalogue);
        if (lane == null) {
          return null;
        }
        lanes.add(lane);
      }
    }
    return lanes;
  }

  /** Where the name of the table stands that the verb at this index writes, or -1. */
  private static int target(List<Token> tokens, int index) {
    Token verb = tokens.get(index);
    Token before = Lexer.at(tokens, index - 1);
    boolean begins =
        before == null || before.is("(") || before.is(")"); // of a statement, or of one inside WITH
    if (!begins || index + 1 >= tokens.size()) {
      return -1;
    }
    Token next = tokens.get(index + 1);
    if ((verb.is("insert") || verb.is("merge")) && next.is("into")) {
      return index + 2;
    } else if (verb.is("delete") && next.is("from")) {
      return afterOnly(tokens, index + 2);
    } else if (verb.is("update")) {
      return afterOnly(tokens, index + 1);
    }
    return -1;
  }

  private static int afterOnly(List<Token> tokens, int index) {
    return index < tokens.size() && tokens.get(index).is("only") ? index + 1 : index;
  }

  private static @Nullable Lane lane(List<Token> tokens, int index, Catalogue catalogue) {
    if (index >= tokens.size() || !tokens.get(index).isIdentifier()) {
      return null;
    }
    String first = tokens.get(index).name();
    Token dot = Lexer.at(tokens, index + 1);
    Token second = Lexer.at(tokens, index + 2);
    Relation relation =
        dot != null && dot.is(".") && second != null
            ? catalogue.relation(first, second.name())
            : catalogue.relation(null, first);
    return relation instanceof Relation.Table table ? table.lane() : null;
  }
}
