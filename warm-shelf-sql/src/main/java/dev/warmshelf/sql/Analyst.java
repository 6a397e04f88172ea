package dev.warmshelf.sql;

import dev.warmshelf.key.Footprint;
import dev.warmshelf.key.Lane;
import dev.warmshelf.key.Lanes;
import dev.warmshelf.sql.Catalogue.Relation;
import dev.warmshelf.sql.Catalogue.Volatility;
import dev.warmshelf.sql.Refusal.Reason;
import dev.warmshelf.sql.Token.Kind;
import java.util.Collection;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.TreeSet;
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

  /** No table may have columns of these names (manual, 5.6); they change without any change. */
  private static final Set<String> SYSTEM_COLUMNS =
      Set.of("ctid", "xmin", "xmax", "cmin", "cmax", "tableoid");

  /** Written like a call, but part of the language. */
  private static final Set<String> CONSTRUCTS =
      Set.of("all", "any", "array", "exists", "row", "some");

  private final Catalogue catalogue;

  public Analyst(Catalogue catalogue) {
    this.catalogue = catalogue;
  }

  /**
   * The verdict on a statement, all of whose tables count as a whole.
   *
   * @throws CatalogueException if the catalogue could not be asked
   */
  public Verdict verdict(SqlStatement statement) {
    return verdict(statement, List.of(), TellingApart.NOTHING);
  }

  /**
   * The verdict on a statement whose tables the engineer may have declared. The declaration stands
   * in for what could not be found out, and only for that; declared tables count as a whole.
   *
   * @param declared names as SQL writes them; empty if nothing is declared
   * @param apart by which columns the changes of tables are told apart
   * @throws CatalogueException if the catalogue could not be asked
   */
  public Verdict verdict(SqlStatement statement, List<String> declared, TellingApart apart) {
    Gathered gathered = gather(statement);
    if (gathered.refusal() == null) {
      return new Verdict.Keepable(Lanes.of(gathered.reaches(this, statement).reaches(apart)));
    }
    if (declared.isEmpty() || !gathered.refusal().mayBeDeclared()) {
      return new Verdict.Refused(gathered.refusal());
    }
    Set<Lane> lanes = new TreeSet<>();
    for (String table : declared) {
      Gathered one = gather(SqlStatement.of("TABLE " + table));
      if (one.refusal() != null) {
        return new Verdict.Refused(one.refusal());
      }
      lanes.addAll(one.lanes());
    }
    return new Verdict.Keepable(Lanes.ofTables(Footprint.of(lanes)));
  }

  /**
   * The columns that a keepable statement pins, for tables that are pinned wherever they occur in
   * it. A table that it also reads through a view, or without a pin, is not among them.
   *
   * @throws CatalogueException if the catalogue could not be asked
   */
  public List<Pin> pins(SqlStatement statement) {
    Gathered gathered = gather(statement);
    return gathered.refusal() == null ? gathered.reaches(this, statement).pins() : List.of();
  }

  /**
   * How far a keepable statement would reach into its tables if every column told their changes
   * apart that can; empty if it is refused.
   *
   * @throws CatalogueException if the catalogue could not be asked
   */
  public List<Lanes.Reach> finestReaches(SqlStatement statement) {
    Gathered gathered = gather(statement);
    return gathered.refusal() == null
        ? gathered.reaches(this, statement).finestReaches()
        : List.of();
  }

  /**
   * The columns by which tables would have to be told apart for these statements to stand on no
   * more than they must: per table the column first that most of them ask for. Statements that are
   * refused ask for nothing.
   *
   * @throws CatalogueException if the catalogue could not be asked
   */
  public SortedMap<Lane, List<String>> proposal(Collection<SqlStatement> statements) {
    Map<Lane, Map<String, Integer>> asked = new TreeMap<>();
    for (SqlStatement statement : statements) {
      for (Lanes.Reach reach : finestReaches(statement)) {
        String column =
            reach instanceof Lanes.Reach.Groups groups
                ? groups.column()
                : reach instanceof Lanes.Reach.Told told ? told.column() : null;
        Map<String, Integer> columns =
            asked.computeIfAbsent(reach.table(), lane -> new TreeMap<>());
        if (column != null) {
          columns.merge(column, 1, Integer::sum);
        }
      }
    }
    SortedMap<Lane, List<String>> proposal = new TreeMap<>();
    asked.forEach(
        (lane, columns) ->
            proposal.put(
                lane,
                columns.entrySet().stream()
                    .sorted(Map.Entry.<String, Integer>comparingByValue().reversed())
                    .map(Map.Entry::getKey)
                    .toList()));
    return proposal;
  }

  /**
   * What there is in a statement.
   *
   * @param refusal the first reason to refuse it, or null
   * @param tree null only if there is a reason to refuse
   */
  private record Gathered(@Nullable Refusal refusal, @Nullable SyntaxTree tree, Set<Lane> lanes) {
    /** How far a statement that is not refused reaches into its tables. */
    Reaches reaches(Analyst analyst, SqlStatement statement) {
      SyntaxTree known = Objects.requireNonNull(tree, "parsed");
      Set<Lane> throughViews = new TreeSet<>();
      for (SyntaxTree.TableName table : known.tables()) {
        if (!(analyst.catalogue.relation(table.schema(), table.name()) instanceof Relation.Table)) {
          analyst.addLanes(table, throughViews, new HashSet<>());
        }
      }
      return new Reaches(statement, known, analyst.catalogue, throughViews);
    }
  }

  private Gathered gather(SqlStatement statement) {
    return gather(statement, new TreeSet<>(), new HashSet<>());
  }

  /** Adds the statement's lanes. */
  private Gathered gather(SqlStatement statement, Set<Lane> lanes, Set<String> viewsEntered) {
    Refusal refusal = refusalByTokens(statement.tokens());
    if (refusal != null) {
      return new Gathered(refusal, null, lanes);
    }
    SyntaxTree tree;
    try {
      tree = SyntaxTree.of(statement);
    } catch (SyntaxTree.NotParsedException e) {
      return new Gathered(new Refusal(Reason.NOT_PARSED, e.near(), e.position()), null, lanes);
    }
    for (SyntaxTree.Call call : tree.calls()) {
      refusal = refusalOfCall(call);
      if (refusal != null) {
        return new Gathered(refusal, tree, lanes);
      }
    }
    for (SyntaxTree.TableName table : tree.tables()) {
      refusal = addLanes(table, lanes, viewsEntered);
      if (refusal != null) {
        return new Gathered(refusal, tree, lanes);
      }
    }
    return new Gathered(null, tree, lanes);
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
      Refusal inside = gather(SqlStatement.of(view.definition()), lanes, viewsEntered).refusal();
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
    if (token.isIdentifier() && SYSTEM_COLUMNS.contains(token.name())) {
      return new Refusal(Reason.READS_SYSTEM_COLUMN, token.name(), token.position());
    }
    if (token.kind() != Kind.WORD) {
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
