package dev.warmshelf.sql;

import dev.warmshelf.sql.Catalogue.Relation;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * Which tables' groups an answer tells: {@code SELECT s.id, ... FROM sailing s LEFT JOIN booking b
 * ON b.sailing_id = s.id ...} depends on the bookings of the sailings in the answer and of no
 * others, since each sailing that counts stands in it with its {@code id}, with or without
 * bookings.
 *
 * <p>That is believed only where nothing can hide a row of the answer depending on the table in
 * question. Each condition has a counterexample of its own in {@code ToldByAnswerTest}:
 *
 * <ul>
 *   <li>the table is joined by {@code LEFT JOIN}, and its {@code ON} has a conjunct {@code b.c =
 *       d.k} with a table joined before;
 *   <li>{@code d.k} stands in the select list as it is;
 *   <li>neither {@code WHERE} nor the {@code ON} of an inner join mentions the table;
 *   <li>there is no {@code HAVING}, {@code LIMIT}, {@code OFFSET}, {@code FETCH}, {@code SELECT
 *       DISTINCT}, grouping set, set operation, common table expression or subquery, and no right,
 *       full or natural join;
 *   <li>every function is known to give one value for a row.
 * </ul>
 *
 * <p>It is worked out on the tokens, which are all there; a word that is not understood ends it.
 */
final class ToldByAnswer {
  /** Words with which an answer's rows may be hidden, or which are not looked into. */
  private static final Set<String> HIDING =
      Set.of(
          "cube",
          "except",
          "exists",
          "fetch",
          "full",
          "grouping",
          "having",
          "intersect",
          "lateral",
          "limit",
          "natural",
          "offset",
          "only",
          "right",
          "rollup",
          "tablesample",
          "union",
          "using",
          "values",
          "with");

  /** Functions that give one value, whatever they are called with. */
  private static final Set<String> ONE_VALUE =
      Set.of(
          "abs",
          "array_agg",
          "avg",
          "bool_and",
          "bool_or",
          "ceil",
          "coalesce",
          "concat",
          "count",
          "date_part",
          "date_trunc",
          "every",
          "extract",
          "floor",
          "greatest",
          "least",
          "length",
          "lower",
          "max",
          "min",
          "nullif",
          "round",
          "string_agg",
          "sum",
          "to_char",
          "trim",
          "upper");

  /** Words of conditions that are no columns. */
  private static final Set<String> CONDITION_WORDS =
      Set.of(
          "and",
          "any",
          "array",
          "as",
          "asc",
          "between",
          "case",
          "date",
          "desc",
          "else",
          "end",
          "false",
          "ilike",
          "in",
          "inner",
          "int",
          "integer",
          "interval",
          "is",
          "join",
          "like",
          "not",
          "null",
          "on",
          "or",
          "then",
          "time",
          "timestamp",
          "true",
          "when");

  private static final Set<String> ENDS_WHERE = Set.of("group", "order");
  private static final Set<String> STARTS_JOIN = Set.of("join", "inner", "left", "cross");

  /**
   * An equality that carries the groups.
   *
   * @param column of the table in question
   * @param position of the column in the answer that tells its groups, from 0
   */
  record Told(String column, int position) {}

  private record Reference(String table, String column) {}

  private final List<Token> tokens;
  private final int from;
  private final int where;
  private final int end;

  private ToldByAnswer(List<Token> tokens, int from, int where, int end) {
    this.tokens = tokens;
    this.from = from;
    this.where = where;
    this.end = end;
  }

  /**
   * The columns of a table whose groups the answer tells.
   *
   * @param table one that the statement names once, by this position
   * @param alias what the statement calls it
   * @param relations the tables in {@code FROM} by what the statement calls them
   * @return for each column the answer's column that tells it
   */
  static Map<String, Told> of(
      SqlStatement statement,
      SyntaxTree tree,
      SyntaxTree.TableName table,
      String alias,
      Map<String, Relation.Table> relations) {
    ToldByAnswer asked = of(statement.tokens());
    if (asked == null
        || tree.calls().stream()
            .anyMatch(call -> call.schema() != null || !ONE_VALUE.contains(call.name()))) {
      return Map.of();
    }
    return asked.told(table, alias, relations);
  }

  /** The statement's parts, or null if it is not of the one form that is understood. */
  private static @Nullable ToldByAnswer of(List<Token> tokens) {
    if (tokens.isEmpty() || !tokens.get(0).is("select")) {
      return null;
    }
    int depth = 0;
    int from = -1;
    int where = -1;
    int end = -1;
    for (int i = 0; i < tokens.size(); i++) {
      Token token = tokens.get(i);
      depth += token.nesting();
      if (token.kind() != Token.Kind.WORD || isQualified(tokens, i)) {
        continue;
      }
      String word = token.text();
      if (HIDING.contains(word)
          || (i > 0 && word.equals("select"))
          || (i == 1 && word.equals("distinct"))) {
        return null;
      }
      if (depth > 0) {
        continue;
      }
      if (from < 0 && word.equals("from")) {
        from = i;
      } else if (from >= 0 && where < 0 && end < 0 && word.equals("where")) {
        where = i;
      } else if (from >= 0 && end < 0 && ENDS_WHERE.contains(word)) {
        end = i;
      }
    }
    if (from < 0) {
      return null;
    }
    end = end < 0 ? tokens.size() : end;
    return new ToldByAnswer(tokens, from, where < 0 ? end : where, end);
  }

  private static boolean isQualified(List<Token> tokens, int index) {
    return index > 0 && tokens.get(index - 1).is(".");
  }

  private Map<String, Told> told(
      SyntaxTree.TableName table, String alias, Map<String, Relation.Table> relations) {
    if (mayDependOn(alias, where, end)) {
      return Map.of();
    }
    Map<String, Told> found = new LinkedHashMap<>();
    boolean joined = false;
    int at = from + 1;
    while (at < where) {
      int next = endOfJoin(at);
      boolean left = tokens.get(at).is("left");
      int name = left ? afterLeftJoin(at) : at;
      if (left && name < next && tokens.get(name).position() == table.position()) {
        joined = true;
        equalities(name, next, alias, relations, found);
      } else if (!left && mayDependOn(alias, at, next)) {
        return Map.of();
      }
      at = next;
    }
    return joined ? found : Map.of();
  }

  /** Where the join that begins here ends. */
  private int endOfJoin(int start) {
    int depth = 0;
    // "left outer join" and the like begin with up to three words
    int at = start;
    while (at < where && (isJoinWord(at) || tokens.get(at).is(","))) {
      at++;
    }
    for (; at < where; at++) {
      Token token = tokens.get(at);
      depth += token.nesting();
      if (depth == 0 && (token.is(",") || isJoinWord(at))) {
        return at;
      }
    }
    return where;
  }

  private boolean isJoinWord(int at) {
    Token token = tokens.get(at);
    return token.kind() == Token.Kind.WORD
        && !isQualified(tokens, at)
        && (STARTS_JOIN.contains(token.text()) || token.text().equals("outer"));
  }

  private int afterLeftJoin(int left) {
    int at = left + 1;
    if (at < where && tokens.get(at).is("outer")) {
      at++;
    }
    return at < where && tokens.get(at).is("join") ? at + 1 : where;
  }

  /** Whether these tokens mention the alias, or a word that could be a column of its. */
  private boolean mayDependOn(String alias, int start, int stop) {
    for (int i = start + 1; i < stop; i++) {
      Token token = tokens.get(i);
      if (!token.isIdentifier() || isQualified(tokens, i)) {
        continue;
      }
      Token next = Lexer.at(tokens, i + 1);
      if (next != null && next.is(".")) {
        if (token.name().equals(alias)) {
          return true;
        }
      } else if (token.name().equals(alias)
          || (inCondition(i, start) && !isHarmless(token, next))) {
        return true;
      }
    }
    return false;
  }

  /** Whether a token of a join stands behind its {@code ON}; all of {@code WHERE} is condition. */
  private boolean inCondition(int index, int start) {
    if (start == where) {
      return true;
    }
    for (int i = start; i < index; i++) {
      if (tokens.get(i).is("on")) {
        return true;
      }
    }
    return false;
  }

  private static boolean isHarmless(Token token, @Nullable Token next) {
    return token.kind() == Token.Kind.WORD
        && (CONDITION_WORDS.contains(token.text()) || (next != null && next.is("(")));
  }

  /** Adds the conjuncts {@code alias.c = d.k} of one join's {@code ON}. */
  private void equalities(
      int start,
      int stop,
      String alias,
      Map<String, Relation.Table> relations,
      Map<String, Told> found) {
    int at = start;
    while (at < stop && !tokens.get(at).is("on")) {
      at++;
    }
    List<List<Token>> conjuncts = new ArrayList<>();
    List<Token> current = new ArrayList<>();
    int depth = 0;
    for (int i = at + 1; i < stop; i++) {
      Token token = tokens.get(i);
      depth += token.nesting();
      boolean word = depth == 0 && !isQualified(tokens, i);
      if (word && (token.is("or") || token.is("between") || token.is("case") || token.is("not"))) {
        return; // an AND need not join conjuncts then
      }
      if (word && token.is("and")) {
        conjuncts.add(current);
        current = new ArrayList<>();
      } else {
        current.add(token);
      }
    }
    conjuncts.add(current);
    for (List<Token> conjunct : conjuncts) {
      if (isColumnsEqual(conjunct)) {
        Reference left = new Reference(conjunct.get(0).name(), conjunct.get(2).name());
        Reference right = new Reference(conjunct.get(4).name(), conjunct.get(6).name());
        add(left, right, alias, relations, found);
        add(right, left, alias, relations, found);
      }
    }
  }

  /** {@code a . b = c . d} and nothing else. */
  private static boolean isColumnsEqual(List<Token> conjunct) {
    return conjunct.size() == 7
        && conjunct.get(0).isIdentifier()
        && conjunct.get(1).is(".")
        && conjunct.get(2).isIdentifier()
        && conjunct.get(3).kind() == Token.Kind.OPERATOR
        && conjunct.get(3).text().equals("=")
        && conjunct.get(4).isIdentifier()
        && conjunct.get(5).is(".")
        && conjunct.get(6).isIdentifier();
  }

  private void add(
      Reference own,
      Reference driving,
      String alias,
      Map<String, Relation.Table> relations,
      Map<String, Told> found) {
    Relation.Table mine = relations.get(own.table());
    Relation.Table theirs = relations.get(driving.table());
    if (!own.table().equals(alias)
        || driving.table().equals(alias)
        || mine == null
        || theirs == null) {
      return;
    }
    int position = positionOf(driving);
    if (position >= 0
        && mine.kind(own.column()) != null
        && mine.kind(own.column()) == theirs.kind(driving.column())) {
      found.putIfAbsent(own.column(), new Told(own.column(), position));
    }
  }

  /** Which column of the answer shows this one as it is, or -1. */
  private int positionOf(Reference column) {
    int found = -1;
    int position = 0;
    int depth = 0;
    int start = tokens.get(1).is("all") ? 2 : 1;
    for (int i = start; i <= from; i++) {
      Token token = tokens.get(i);
      depth += token.nesting();
      if (i == from || (depth == 0 && token.is(","))) {
        List<Token> item = tokens.subList(start, i);
        if (item.get(item.size() - 1).text().equals("*")) {
          return -1; // how many columns it stands for is not known here
        }
        if (found < 0 && shows(item, column)) {
          found = position;
        }
        position++;
        start = i + 1;
      }
    }
    return found;
  }

  /** {@code d . k}, perhaps with a name of its own. */
  private static boolean shows(List<Token> item, Reference column) {
    int size = item.size();
    boolean named =
        (size == 4 && item.get(3).isIdentifier())
            || (size == 5 && item.get(3).is("as") && item.get(4).isIdentifier());
    return (size == 3 || named)
        && item.get(0).isIdentifier()
        && item.get(0).name().equals(column.table())
        && item.get(1).is(".")
        && item.get(2).name().equals(column.column());
  }
}
