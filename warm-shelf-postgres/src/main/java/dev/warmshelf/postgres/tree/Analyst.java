package dev.warmshelf.postgres.tree;

import dev.warmshelf.lane.Lane;
import dev.warmshelf.postgres.tree.Facts.Volatility;
import dev.warmshelf.statement.Analysis;
import dev.warmshelf.statement.Analysis.Trait;
import dev.warmshelf.statement.Refusal;
import dev.warmshelf.statement.Refusal.Reason;
import dev.warmshelf.statement.SchemaObject.Kind;
import java.util.Collection;
import java.util.EnumSet;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;

/**
 * Reads a statement's tree: what it depends on, and whether its answers may be kept. Whatever is
 * not certain is refused.
 *
 * <p>Used once, by one thread.
 */
public final class Analyst {
  private static final String[] SYSTEM_COLUMNS = {
    "ctid", "xmin", "cmin", "xmax", "cmax", "tableoid"
  };

  /** How {@code SQLVALUEFUNCTION} numbers what it gives (primnodes.h). */
  private static final String[] VALUE_FUNCTIONS = {
    "current_date",
    "current_time",
    "current_time",
    "current_timestamp",
    "current_timestamp",
    "localtime",
    "localtime",
    "localtimestamp",
    "localtimestamp",
    "current_role",
    "current_user",
    "user",
    "session_user",
    "current_catalog",
    "current_schema"
  };

  /** The other types whose values name things are refused wherever they occur (pg_type.dat). */
  private static final long REGTYPE = 2206;

  /** The system's functions that run a query, a cursor, or what views hide, and write it as XML. */
  private static final Pattern RUNS_TEXT =
      Pattern.compile("(query|cursor|table|schema|database)_to_xml.*");

  /** The system's aggregates that give the same in whatever order they are given rows. */
  private static final Set<String> ANY_ORDER =
      Set.of(
          "count", "sum", "avg", "min", "max", "bool_and", "bool_or", "every", "bit_and", "bit_or");

  /**
   * Of which sums depend on the order, or equal values may be written otherwise: floats, decimals,
   * spans, padded strings (pg_type.dat).
   */
  private static final Set<Long> INEXACT = Set.of(700L, 701L, 1700L, 1186L, 1042L);

  /**
   * Equalities of values that are the same if they are equal (pg_operator.dat): of whole numbers,
   * strings (in a deterministic collation), names, days, times, moments, booleans, UUIDs, bytes,
   * enums.
   */
  private static final Set<Long> EXACT =
      Set.of(94L, 96L, 410L, 607L, 98L, 93L, 1093L, 1108L, 2060L, 1320L, 91L, 2972L, 1955L, 3516L);

  private final Facts facts;
  private final Grammar grammar;
  private final @Nullable String momentInText;
  private final SortedMap<Lane, Set<String>> columns = new TreeMap<>();
  private final Set<Object> judged = new HashSet<>();
  private boolean moments;
  private boolean onlyReads = true;
  private boolean decided = true;
  private @Nullable Refusal refusal;

  /**
   * @param momentInText what of the text's strings could be read as a moment, such as 'now'; null
   *     if nothing could
   */
  public Analyst(Facts facts, @Nullable String momentInText) {
    this(facts, momentInText, Grammar.standard());
  }

  Analyst(Facts facts, @Nullable String momentInText, Grammar grammar) {
    this.facts = facts;
    this.momentInText = momentInText;
    this.grammar = grammar;
  }

  /**
   * Reads a tree.
   *
   * @param body the statements of the function that was made of the text
   * @throws TreeNode.UnreadableException if the tree is not what the server writes
   */
  public Analysis read(List<TreeNode> body) {
    return body.size() == 1 && body.get(0).is("QUERY")
        ? read(body.get(0))
        : Analysis.refused(new Refusal(Reason.SEVERAL_STATEMENTS, "", -1));
  }

  private Analysis read(TreeNode statement) {
    Set<Lane> written = Written.by(statement, facts);
    if (written == null || !written.isEmpty()) {
      return new Analysis(
          new Refusal(Reason.CHANGES_DATA, "", -1),
          Set.of(),
          written,
          List.of(),
          new TreeMap<>(),
          Analysis.NOT_MENDABLE);
    }
    Visit visit = new Visit(grammar, facts, new Judge());
    visit.query(statement);
    String moment = momentInText;
    if (moments && moment != null) {
      refuse(Reason.DEPENDS_ON_MOMENT_OR_SESSION, moment, moment, List.of());
    }
    Refusal found = refusal;
    boolean lost = found != null && !found.mayBeDeclared();
    TableReads reads = new TableReads(facts);
    return new Analysis(
        found,
        traits(),
        Set.of(),
        lost ? List.of() : reads.of(statement),
        columns,
        lost ? Analysis.NOT_MENDABLE : reads.mendable());
  }

  private Set<Trait> traits() {
    Set<Trait> traits = EnumSet.noneOf(Trait.class);
    if (onlyReads) {
      traits.add(Trait.ONLY_READS);
    }
    if (moments) {
      traits.add(Trait.TEXTS_MATTER);
    }
    if (decided) {
      traits.add(Trait.DECIDED);
    }
    return traits;
  }

  /** Of several refusals, one that no declaration does away with. */
  private void refuse(Reason reason, String subject, String word, List<String> views) {
    Refusal another = new Refusal(reason, subject, word, -1, views);
    Refusal first = refusal;
    if (first == null || (first.mayBeDeclared() && !another.mayBeDeclared())) {
      refusal = another;
    }
  }

  /** Takes note of what the tree holds, and refuses what must be. */
  private final class Judge implements Visit.Teller {
    @Override
    public void refuses(Reason reason, String subject, List<String> views) {
      onlyReads &= reason != Reason.CHANGES_DATA;
      refuse(reason, subject, "", views);
    }

    @Override
    public void reads(long oid, String called, List<String> views) {
      Facts.Relation relation = facts.relation(oid);
      if (relation instanceof Facts.Relation.Table table) {
        columns.computeIfAbsent(table.lane(), lane -> new TreeSet<>()).addAll(table.placing());
      } else if (relation instanceof Facts.Relation.Unfollowable other) {
        onlyReads &= other.onlyRead();
        String name = other.name().isEmpty() ? called : other.name();
        refuse(
            Reason.UNFOLLOWABLE_RELATION,
            name + " is " + other.what(),
            name.substring(name.indexOf('.') + 1),
            views);
      } else if (relation == null) {
        onlyReads = false;
        refuse(Reason.UNFOLLOWABLE_RELATION, "relation " + oid + " is not known", "", views);
      }
    }

    @Override
    public void reads(long oid, int number, List<String> views) {
      if (number < 0) {
        String name = SYSTEM_COLUMNS[Math.min(-number, SYSTEM_COLUMNS.length) - 1];
        refuse(Reason.READS_SYSTEM_COLUMN, name, name, views);
      } else if (facts.relation(oid) instanceof Facts.Relation.Table table) {
        Set<String> read = columns.computeIfAbsent(table.lane(), lane -> new TreeSet<>());
        Facts.Column column = table.columns().get(number);
        if (number == 0 || column == null || column.computed()) {
          table.columns().values().forEach(each -> read.add(each.name()));
        } else {
          read.add(column.name());
        }
      }
    }

    @Override
    public void queries(TreeNode query) {
      decided &=
          query.node("limitCount") == null
              && query.node("limitOffset") == null
              && !query.flag("hasDistinctOn")
              && !query.flag("hasWindowFuncs")
              && areExact(query.nodes("groupClause"))
              && areExact(query.nodes("distinctClause"))
              && isExact(query.node("setOperations"));
    }

    /** Of equal values one stands for all: which one is said only where equal ones are the same. */
    private static boolean areExact(List<TreeNode> clauses) {
      return clauses.stream().allMatch(clause -> EXACT.contains(clause.oid("eqop")));
    }

    private static boolean isExact(@Nullable TreeNode operation) {
      return operation == null
          || !operation.is("SETOPERATIONSTMT")
          || (areExact(operation.nodes("groupClauses"))
              && isExact(operation.node("larg"))
              && isExact(operation.node("rarg")));
    }

    /** An aggregate that gives the same in whatever order it is given rows. */
    private boolean isOfAnyOrder(TreeNode aggregate) {
      Facts.Function function = facts.function(aggregate.oid("aggfnoid"));
      return function != null
          && function.system()
          && ANY_ORDER.contains(function.name())
          && aggregate.numbers("aggargtypes").stream().noneMatch(INEXACT::contains);
    }

    @Override
    public void enters(TreeNode node, Level level, List<String> views) {
      switch (node.name()) {
        case "AGGREF" -> decided &= isOfAnyOrder(node);
        case "SQLVALUEFUNCTION" -> {
          int op = node.number("op");
          String word = op < VALUE_FUNCTIONS.length ? VALUE_FUNCTIONS[op] : "?";
          refuse(Reason.DEPENDS_ON_MOMENT_OR_SESSION, word, word, views);
        }
        case "ROWMARKCLAUSE" -> {
          onlyReads = false;
          refuse(Reason.LOCKS_ROWS, "", "for", views);
        }
        case "TABLESAMPLECLAUSE" -> refuse(Reason.SAMPLES, "", "tablesample", views);
        case "COERCEVIAIO" -> fromText(node, views);
        case "RANGETBLFUNCTION" ->
            node.numbers("funccoltypes").forEach(type -> noMoment(type, "a text is read", views));
        case "CONST" -> constant(node, views);
        default -> {}
      }
    }

    /** A text that is made a date when the statement runs may say <i>now</i>. */
    private void fromText(TreeNode cast, List<String> views) {
      TreeNode from = cast.node("arg");
      while (from != null && (from.is("RELABELTYPE") || from.is("COERCETODOMAIN"))) {
        from = from.node("arg");
      }
      if (from == null || (!from.is("PARAM") && !from.is("CONST"))) {
        noMoment(cast.oid("resulttype"), "a text is cast", views);
      }
    }

    private void noMoment(long oid, String how, List<String> views) {
      Facts.Type type = facts.type(oid);
      if (type != null && type.moments()) {
        refuse(Reason.MOMENT_BY_TEXT, how + " to " + type.name(), "", views);
      }
    }

    /** A type's name as a value, looked up when the statement was analysed. */
    private void constant(TreeNode node, List<String> views) {
      if (node.oid("consttype") == REGTYPE) {
        refuse(Reason.UNFOLLOWABLE_TYPE, "a regtype names a thing", "", views);
      }
    }

    @Override
    public void names(Grammar.Role role, long oid, TreeNode node, List<String> views) {
      if (!judged.add(List.of(role, oid))) {
        return;
      }
      switch (role) {
        case FUNCTION -> function(oid, "", "", views);
        case OPERATOR -> operator(oid, views);
        case TYPE -> type(oid, false, views);
        case MADE_TYPE -> type(oid, true, views);
        case COLLATION -> decided &= facts.isDeterministic(oid);
        default -> throw new IllegalStateException(role + " names nothing.");
      }
    }

    private void operator(long oid, List<String> views) {
      Facts.Operator operator = facts.operator(oid);
      if (operator == null) {
        refuse(Reason.MAY_READ_TABLES, "operator " + oid, "", views);
        return;
      }
      String behind = ", which the operator " + operator.name() + " runs,";
      operator.functions().forEach(oneOf -> function(oneOf, behind, operator.name(), views));
    }

    private void type(long oid, boolean made, List<String> views) {
      Facts.Type type = facts.type(oid);
      if (type == null) {
        refuse(Reason.UNFOLLOWABLE_TYPE, "type " + oid + " is not known", "", views);
        return;
      }
      moments |= type.moments();
      if (type.refused() != null) {
        refuse(Reason.UNFOLLOWABLE_TYPE, type.refused(), type.name(), views);
      }
      String behind = ", which values of type " + type.name() + " need,";
      type.functions().forEach(function -> function(function, behind, type.name(), views));
      if (made) {
        type.checks().forEach(function -> function(function, behind, type.name(), views));
        type.trees().forEach(tree -> expression(tree, views));
      }
    }

    private void expression(TreeNode tree, List<String> views) {
      Visit inside = new Visit(grammar, facts, this);
      inside.expression(tree, views);
    }

    /**
     * @param behind what runs it, if the statement does not name it; to be put after its signature
     * @param word by which to find that in the text
     */
    private void function(long oid, String behind, String word, List<String> views) {
      Facts.Function function = facts.function(oid);
      onlyReads &= function != null && isCertainToOnlyRead(function);
      if (function == null) {
        refuse(Reason.MAY_READ_TABLES, "function " + oid + behind, word, views);
        return;
      }
      String sought = word.isEmpty() ? function.name() : word;
      if (function.volatility() == Volatility.VOLATILE) {
        refuse(Reason.VOLATILE_FUNCTION, shown(function) + behind, sought, views);
      } else if (function.volatility() == Volatility.STABLE && !function.system()) {
        refuse(Reason.MAY_READ_TABLES, shown(function) + behind, sought, views);
      } else if (function.volatility() == Volatility.STABLE
          && !SteadyFunctions.contains(function.signature())) {
        refuse(Reason.DEPENDS_ON_MOMENT_OR_SESSION, shown(function) + behind, sought, views);
      }
      String inside = behind.isEmpty() ? ", which " + function.name() + " runs," : behind;
      function.parts().forEach(part -> function(part, inside, sought, views));
      function.trees().forEach(tree -> expression(tree, views));
    }

    /**
     * Volatility is its author's word. What is declared steadier may call what is not, and that may
     * write; so may what runs a text that it is given. Only of the system's own functions, and of
     * what is compiled and declared to need nothing but its arguments, this is taken as said.
     */
    private static boolean isCertainToOnlyRead(Facts.Function function) {
      return switch (function.volatility()) {
        case VOLATILE -> false;
        case STABLE -> function.system() && !RUNS_TEXT.matcher(function.name()).matches();
        case IMMUTABLE -> function.system() || function.compiled();
      };
    }

    private String shown(Facts.Function function) {
      return function.system() ? function.name() + "()" : function.signature();
    }
  }

  /** What of the catalogue trees name, to be asked about before they are read. */
  public static Map<Kind, Set<Long>> named(Collection<TreeNode> trees, Facts relations) {
    Named named = new Named();
    Visit visit = new Visit(Grammar.standard(), relations, named);
    for (TreeNode tree : trees) {
      if (tree.is("QUERY")) {
        visit.query(tree);
      } else {
        visit.expression(tree, List.of());
      }
    }
    return named.found;
  }

  private static final class Named implements Visit.Teller {
    private final Map<Kind, Set<Long>> found = new TreeMap<>();

    @Override
    public void names(Grammar.Role role, long oid, TreeNode node, List<String> views) {
      Kind kind =
          switch (role) {
            case FUNCTION -> Kind.FUNCTION;
            case OPERATOR -> Kind.OPERATOR;
            case TYPE, MADE_TYPE -> Kind.TYPE;
            case COLLATION -> Kind.COLLATION;
            default -> throw new IllegalStateException(role + " names nothing.");
          };
      found.computeIfAbsent(kind, k -> new TreeSet<>()).add(oid);
    }

    @Override
    public void reads(long relation, int column, List<String> views) {}

    @Override
    public void reads(long relation, String called, List<String> views) {}

    @Override
    public void refuses(Reason reason, String subject, List<String> views) {}
  }
}
