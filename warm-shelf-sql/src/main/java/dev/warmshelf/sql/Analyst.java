package dev.warmshelf.sql;

import dev.warmshelf.key.Footprint;
import dev.warmshelf.key.Lane;
import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.sql.Catalogue.Relation;
import dev.warmshelf.sql.Catalogue.Volatility;
import dev.warmshelf.sql.Refusal.Reason;
import dev.warmshelf.sql.Token.Kind;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import net.sf.jsqlparser.statement.select.PlainSelect;
import org.jspecify.annotations.Nullable;

/**
 * Gives a statement its verdict.
 *
 * <p>Tables and calls are taken from the parser's syntax tree, in which every production of the
 * grammar leaves a node: a table cannot hide in a corner that a hand-written visitor forgot. What
 * the tree does not tell (row locks, words that call without parentheses, the scope of common table
 * expressions) is read from the tokens. Whatever is not certain is refused.
 *
 * <p>Thread-safe if its catalogue is.
 */
public final class Analyst {
  /** Deep enough for any query that a person or a mapper writes, and far from the stack's end. */
  static final int DEEPEST = 100;

  /** As many tokens as the parser reads in reasonable time. */
  private static final int LONGEST = 20_000;

  private static final Set<String> READS = Set.of("select", "with", "values", "table");
  private static final Set<String> CHANGES = Set.of("insert", "update", "delete", "merge");

  /** What else a statement can begin with (PostgreSQL manual, part VI), as far as people try it. */
  private static final Set<String> OTHER_VERBS =
      Set.of(
          "alter",
          "analyze",
          "begin",
          "call",
          "checkpoint",
          "close",
          "cluster",
          "comment",
          "commit",
          "copy",
          "create",
          "deallocate",
          "declare",
          "discard",
          "do",
          "drop",
          "end",
          "execute",
          "explain",
          "fetch",
          "grant",
          "listen",
          "load",
          "lock",
          "move",
          "notify",
          "prepare",
          "refresh",
          "reindex",
          "release",
          "reset",
          "revoke",
          "rollback",
          "savepoint",
          "set",
          "show",
          "start",
          "truncate",
          "unlisten",
          "vacuum");

  private static final Set<String> LOCK_WORDS = Set.of("update", "share", "no", "key");

  /** Written like a call, but part of the language. */
  private static final Set<String> CONSTRUCTS =
      Set.of("all", "any", "array", "exists", "row", "some");

  private final Catalogue catalogue;

  public Analyst(Catalogue catalogue) {
    this.catalogue = catalogue;
  }

  /**
   * The verdict on a statement.
   *
   * @throws CatalogueException if the catalogue could not be asked
   */
  public Verdict verdict(SqlStatement statement) {
    Set<Lane> lanes = new TreeSet<>();
    Refusal refusal = gather(statement, lanes, new HashSet<>());
    return refusal == null
        ? new Verdict.Keepable(Footprint.of(lanes))
        : new Verdict.Refused(refusal);
  }

  /**
   * The verdict on a statement whose tables the engineer has declared. The declaration stands in
   * for what could not be found out, and only for that.
   *
   * @param declared names as SQL writes them; empty if nothing is declared
   */
  public Verdict verdict(SqlStatement statement, List<String> declared) {
    Verdict verdict = verdict(statement);
    if (declared.isEmpty()
        || !(verdict instanceof Verdict.Refused refused)
        || !refused.refusal().mayBeDeclared()) {
      return verdict;
    }
    Set<Lane> lanes = new TreeSet<>();
    for (String table : declared) {
      Refusal refusal = gather(SqlStatement.of("TABLE " + table), lanes, new HashSet<>());
      if (refusal != null) {
        return new Verdict.Refused(refusal);
      }
    }
    return new Verdict.Keepable(Footprint.of(lanes));
  }

  /**
   * The columns that a keepable statement pins, for tables that are pinned wherever they occur in
   * it. A table that it also reads through a view, or without a pin, is not among them.
   *
   * @throws CatalogueException if the catalogue could not be asked
   */
  public List<Pin> pins(SqlStatement statement) {
    SyntaxTree tree;
    try {
      tree = SyntaxTree.of(statement);
    } catch (SyntaxTree.NotParsedException e) {
      return List.of();
    }
    Map<SyntaxTree.TableName, Map<String, List<Source>>> pinned = new LinkedHashMap<>();
    for (PlainSelect select : tree.selects()) {
      Equalities.of(select, statement, tree.selects().size() == 1)
          .forEach(
              (table, columns) -> {
                SyntaxTree.TableName name = tree.nameOf(table);
                if (name != null) {
                  pinned.put(name, columns);
                }
              });
    }
    Set<Lane> unpinned = new HashSet<>();
    for (SyntaxTree.TableName table : tree.tables()) {
      boolean direct = catalogue.relation(table.schema(), table.name()) instanceof Relation.Table;
      if (!direct || pinned.getOrDefault(table, Map.of()).isEmpty()) {
        addLanes(table, unpinned, new HashSet<>());
      }
    }
    List<Pin> pins = new ArrayList<>();
    pinned.forEach(
        (table, columns) -> {
          if (catalogue.relation(table.schema(), table.name()) instanceof Relation.Table found
              && !unpinned.contains(found.lane())) {
            columns.forEach((column, values) -> pins.add(new Pin(found.lane(), column, values)));
          }
        });
    pins.sort(Comparator.comparing(Pin::table).thenComparing(Pin::column));
    return pins;
  }

  /** Adds the statement's lanes; returns the first reason to refuse it, or null. */
  private @Nullable Refusal gather(
      SqlStatement statement, Set<Lane> lanes, Set<String> viewsEntered) {
    Refusal refusal = refusalByTokens(statement.tokens());
    if (refusal != null) {
      return refusal;
    }
    SyntaxTree tree;
    try {
      tree = SyntaxTree.of(statement);
    } catch (SyntaxTree.NotParsedException e) {
      return new Refusal(Reason.NOT_PARSED, e.near(), e.position());
    }
    for (SyntaxTree.Call call : tree.calls()) {
      refusal = refusalOfCall(call);
      if (refusal != null) {
        return refusal;
      }
    }
    for (SyntaxTree.TableName table : tree.tables()) {
      refusal = addLanes(table, lanes, viewsEntered);
      if (refusal != null) {
        return refusal;
      }
    }
    return null;
  }

  private @Nullable Refusal addLanes(
      SyntaxTree.TableName table, Set<Lane> lanes, Set<String> viewsEntered) {
    Relation relation = catalogue.relation(table.schema(), table.name());
    if (relation instanceof Relation.Table found) {
      lanes.add(found.lane());
      return null;
    } else if (relation instanceof Relation.View view) {
      if (!viewsEntered.add(table.toString())) {
        return null; // its lanes are in already
      }
      Refusal inside = gather(SqlStatement.of(view.definition()), lanes, viewsEntered);
      return inside == null
          ? null
          : new Refusal(
              inside.reason(), inside.subject() + "' in view '" + table, table.position());
    } else if (relation instanceof Relation.Unfollowable unfollowable) {
      return new Refusal(
          Reason.UNFOLLOWABLE_RELATION, table + " is " + unfollowable.what(), table.position());
    }
    return new Refusal(Reason.UNKNOWN_RELATION, table.toString(), table.position());
  }

  private @Nullable Refusal refusalOfCall(SyntaxTree.Call call) {
    String name = call.name();
    boolean systems = call.schema() == null || call.schema().equals("pg_catalog");
    if (systems && CONSTRUCTS.contains(name)) {
      return null;
    }
    if (systems && Functions.isVolatile(name)) {
      return new Refusal(Reason.VOLATILE_FUNCTION, name, call.position());
    }
    if (systems && Functions.dependsOnMomentOrSession(name)) {
      return new Refusal(Reason.DEPENDS_ON_MOMENT_OR_SESSION, name + "()", call.position());
    }
    Volatility volatility = catalogue.function(call.schema(), name);
    return switch (volatility) {
      case IMMUTABLE -> null;
      case VOLATILE -> new Refusal(Reason.VOLATILE_FUNCTION, name, call.position());
      case STABLE -> new Refusal(Reason.MAY_READ_TABLES, name, call.position());
      case SYSTEM_STABLE ->
          Functions.dependsOnAmbientOnly(name)
              ? null
              : new Refusal(Reason.MAY_READ_TABLES, name, call.position());
      case MISSING, UNKNOWN ->
          systems && Functions.isPure(name)
              ? null
              : new Refusal(Reason.UNKNOWN_FUNCTION, name, call.position());
    };
  }

  private static @Nullable Refusal refusalByTokens(List<Token> tokens) {
    if (tokens.isEmpty()) {
      return new Refusal(Reason.EMPTY, "", -1);
    }
    int first = 0;
    while (first < tokens.size() && tokens.get(first).is("(")) {
      first++;
    }
    Token verb = tokens.get(Math.min(first, tokens.size() - 1));
    if (verb.kind() != Kind.WORD || !READS.contains(verb.text())) {
      return new Refusal(reasonOfVerb(verb.text()), verb.text(), verb.position());
    }
    int depth = 0;
    for (int i = 0; i < tokens.size(); i++) {
      Token token = tokens.get(i);
      depth += token.is("(") ? 1 : token.is(")") ? -1 : 0;
      Refusal refusal = refusalByToken(tokens, i, depth);
      if (refusal != null) {
        return refusal;
      }
    }
    return tokens.size() > LONGEST
        ? new Refusal(Reason.TOO_LONG, Integer.toString(LONGEST), -1)
        : null;
  }

  private static Reason reasonOfVerb(String verb) {
    if (CHANGES.contains(verb)) {
      return Reason.CHANGES_DATA;
    }
    return OTHER_VERBS.contains(verb) ? Reason.NOT_A_READ : Reason.NOT_PARSED;
  }

  /** Whether the first word of a text is one that a statement begins with. */
  static boolean beginsLikeAStatement(String text) {
    int end = 0;
    while (end < text.length() && Character.isLetter(text.charAt(end))) {
      end++;
    }
    String word = Token.fold(text.substring(0, end));
    return READS.contains(word) || CHANGES.contains(word) || OTHER_VERBS.contains(word);
  }

  private static @Nullable Refusal refusalByToken(List<Token> tokens, int i, int depth) {
    Token token = tokens.get(i);
    Token before = Lexer.at(tokens, i - 1);
    Token after = Lexer.at(tokens, i + 1);
    if (depth > DEEPEST) {
      return new Refusal(Reason.TOO_DEEP, Integer.toString(DEEPEST), token.position());
    }
    if (token.is(";")) {
      return new Refusal(Reason.SEVERAL_STATEMENTS, ";", token.position());
    }
    if (token.kind() == Kind.OPERATOR && !Functions.isSystemOperator(token.text())) {
      return new Refusal(Reason.UNKNOWN_OPERATOR, token.text(), token.position());
    }
    if (token.kind() == Kind.STRING && Functions.namesAMoment(token.text())) {
      return new Refusal(
          Reason.DEPENDS_ON_MOMENT_OR_SESSION, unquoted(token.text()), token.position());
    }
    if (token.kind() != Kind.WORD || (before != null && before.is("."))) {
      return null;
    }
    String word = token.text();
    if (Functions.isMomentOrSessionWord(word) && !(after != null && after.is("."))) {
      return new Refusal(Reason.DEPENDS_ON_MOMENT_OR_SESSION, word, token.position());
    }
    if (CHANGES.contains(word) && before != null && before.is("(")) {
      return new Refusal(Reason.CHANGES_DATA, word, token.position());
    }
    if (word.equals("for") && after != null && LOCK_WORDS.contains(after.text())) {
      return new Refusal(Reason.LOCKS_ROWS, "for " + after.text(), token.position());
    }
    if (word.equals("tablesample")) {
      return new Refusal(Reason.SAMPLES, word, token.position());
    }
    if (word.equals("into")) {
      return new Refusal(Reason.CHANGES_DATA, word, token.position());
    }
    return null;
  }

  private static String unquoted(String literal) {
    return literal.substring(literal.indexOf('\'') + 1, literal.length() - 1);
  }
}
