package dev.warmshelf.postgres.tree;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.statement.Analysis;
import dev.warmshelf.statement.Analysis.Mendable;
import dev.warmshelf.statement.Analysis.PinValue;
import dev.warmshelf.statement.Analysis.Shown;
import dev.warmshelf.statement.Analysis.TableRead;
import dev.warmshelf.statement.Analysis.Tie;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import org.jspecify.annotations.Nullable;

/**
 * Where a statement reads tables, and what each row must have to count there.
 *
 * <p><b>The rule for pins.</b> Take a row that does not meet an equality which is <i>in force</i>
 * for its table. Then the answer is the same without the row. In force are {@code WHERE}, the
 * {@code ON} of an inner join for both sides, and the {@code ON} of an outer join for the side that
 * may be missing: every combined row that holds the row is dropped there or further out, and so is
 * the combined row in which nulls stand in its place, since an equality with null does not hold.
 * What says nothing of the table itself counts too, as far as it is equal to something of it: there
 * the nulls change nothing.
 */
final class TableReads {
  private final Facts facts;
  private final Conditions conditions;
  private final List<TableRead> found = new ArrayList<>();
  private final Map<Level, Known> levels = new HashMap<>();
  private Mendable mendable = Analysis.NOT_MENDABLE;

  /** Ties are followed from table to table, so many times. */
  private static final int LONGEST_CHAIN = 3;

  /**
   * What is known of a query's entries.
   *
   * @param inForce the conditions in force for each
   * @param columns what is known of columns beforehand
   */
  private record Known(
      Map<Integer, List<TreeNode>> inForce, Map<Level.Column, List<PinValue>> columns) {
    List<TreeNode> conditions(int number) {
      return inForce.getOrDefault(number, List.of());
    }
  }

  /** What the statement's own query says of its rows: whether they stand in the answer. */
  private record Answer(AnswerLanes told, Divisions divisions) {}

  TableReads(Facts facts) {
    this.facts = facts;
    this.conditions = new Conditions(facts);
  }

  List<TableRead> of(TreeNode statement) {
    Level top = new Level(statement, null);
    level(top, Map.of(), Map.of(), AnswerLanes.of(top, facts, conditions));
    return found;
  }

  /** How the answer falls into parts, once it was read. */
  Mendable mendable() {
    return mendable;
  }

  /**
   * @param around what is known of the queries around it
   * @param pushed what its own columns must be to count further out
   * @param told only of the statement's own query
   */
  private void level(
      Level level,
      Map<Level.Column, List<PinValue>> around,
      Map<Level.Column, List<PinValue>> pushed,
      @Nullable AnswerLanes told) {
    TreeNode from = level.query().node("jointree");
    Map<Integer, List<TreeNode>> inForce = new TreeMap<>();
    List<TreeNode> always = new ArrayList<>();
    if (from != null) {
      collect(from, List.of(), inForce);
      collectForEveryRow(from, always);
    }
    Answer answer =
        told == null
            ? null
            : new Answer(told, new Divisions(level, facts, conditions, told.isBelieved(), inForce));
    if (answer != null) {
      mendable = answer.divisions().mendable();
    }
    Map<Level.Column, List<PinValue>> known = new HashMap<>(around);
    known.putAll(pushed);
    levels.put(level, new Known(inForce, known));
    Map<Level.Column, List<PinValue>> inside = new HashMap<>(known);
    inside.putAll(conditions.pins(always, level, known));
    for (int number = 1; number <= level.entries().size(); number++) {
      entry(level, number, inside, answer);
    }
    subqueries(level, inside);
    setOperation(level, around, pushed);
  }

  private void entry(
      Level level, int number, Map<Level.Column, List<PinValue>> inside, @Nullable Answer answer) {
    TreeNode entry = level.entry(number);
    Map<Integer, List<PinValue>> pins = pins(level, number);
    if (level.kind(number) == Level.RELATION && !Visit.isPlaceholder(entry, level)) {
      Facts.Relation relation = facts.relation(entry.oid("relid"));
      if (relation instanceof Facts.Relation.Table table) {
        List<Tie> ties = ties(level, number, table, List.of());
        found.add(
            answer == null
                ? read(table, pins, Map.of(), List.of(), ties)
                : read(
                    table,
                    pins,
                    answer.told().of(number, table),
                    answer.divisions().shown(number),
                    ties));
      } else if (relation instanceof Facts.Relation.View view) {
        for (TreeNode query : view.trees()) {
          Level below = new Level(query, null);
          level(below, Map.of(), push(pins, below), null);
        }
      }
    }
    TreeNode subquery = entry.node("subquery");
    if (subquery != null && level.query().node("setOperations") == null) {
      Level below = new Level(subquery, level);
      level(below, inside, push(pins, below), null);
    }
  }

  /** What an entry's columns are pinned to, by their numbers. */
  private Map<Integer, List<PinValue>> pins(Level level, int number) {
    Known known = levels.get(level);
    Map<Integer, List<PinValue>> own = new TreeMap<>();
    if (known != null) {
      conditions
          .pins(known.conditions(number), level, known.columns())
          .forEach(
              (column, values) -> {
                if (column.level() == level && column.entry() == number) {
                  own.put(column.number(), values);
                }
              });
    }
    return own;
  }

  /**
   * The ties of an entry's table that lead to a table with values of its own to have.
   *
   * @param from the tables by which the ties came here
   */
  private List<Tie> ties(Level level, int number, Facts.Relation.Table table, List<Lane> from) {
    Known known = levels.get(level);
    if (known == null || from.size() == LONGEST_CHAIN) {
      return List.of();
    }
    List<Lane> chain = new ArrayList<>(from);
    chain.add(table.lane());
    List<Tie> ties = new ArrayList<>();
    for (TreeNode condition : known.conditions(number)) {
      Conditions.EqualColumns equal = conditions.equalColumns(condition, level);
      if (equal != null) {
        boolean first = isOf(equal.one(), level, number);
        Level.Column own = first ? equal.one() : equal.other();
        Level.Column other = first ? equal.other() : equal.one();
        Tie tie = isOf(own, level, number) ? tie(table, own, other, chain) : null;
        if (tie != null) {
          ties.add(tie);
        }
      }
    }
    return ties;
  }

  private static boolean isOf(Level.Column column, Level level, int number) {
    return column.level() == level && column.entry() == number;
  }

  private @Nullable Tie tie(
      Facts.Relation.Table table, Level.Column own, Level.Column other, List<Lane> chain) {
    Level home = other.level();
    if (home.kind(other.entry()) != Level.RELATION
        || !(facts.relation(home.entry(other.entry()).oid("relid"))
            instanceof Facts.Relation.Table to)
        || chain.contains(to.lane())) {
      return null;
    }
    Facts.Column column = table.columns().get(own.number());
    Facts.Column its = to.columns().get(other.number());
    if (column == null
        || its == null
        || column.kind() == null
        || !column.kind().equals(its.kind())) {
      return null;
    }
    List<Tie> further = ties(home, other.entry(), to, chain);
    TableRead read = read(to, pins(home, other.entry()), Map.of(), List.of(), further);
    boolean nothingNew = read.pins().containsKey(its.name()); // so is the other side, by then
    return nothingNew || (read.pins().isEmpty() && read.ties().isEmpty())
        ? null
        : new Tie(column.name(), column.kind(), read, its.name());
  }

  private static TableRead read(
      Facts.Relation.Table table,
      Map<Integer, List<PinValue>> pins,
      Map<String, Integer> told,
      List<Shown> shown,
      List<Tie> ties) {
    Map<String, ColumnKind> kinds = new LinkedHashMap<>();
    Map<String, List<PinValue>> byName = new LinkedHashMap<>();
    new TreeMap<>(table.columns())
        .forEach(
            (number, column) -> {
              ColumnKind kind = column.kind();
              if (kind != null) {
                kinds.put(column.name(), kind);
                List<PinValue> values = pins.get(number);
                if (values != null) {
                  byName.put(column.name(), values);
                }
              }
            });
    return new TableRead(table.lane(), kinds, byName, told, shown, ties);
  }

  /** The conditions in force for each entry. */
  private static void collect(
      TreeNode node, List<TreeNode> outer, Map<Integer, List<TreeNode>> inForce) {
    List<TreeNode> all = new ArrayList<>(outer);
    all.addAll(Level.conjuncts(node.node("quals")));
    if (node.is("RANGETBLREF")) {
      inForce.put(node.number("rtindex"), outer);
    } else if (node.is("FROMEXPR")) {
      node.nodes("fromlist").forEach(item -> collect(item, all, inForce));
    } else if (node.is("JOINEXPR")) {
      String type = node.text("jointype");
      boolean left = type.equals(Level.INNER) || type.equals(Level.RIGHT);
      boolean right = type.equals(Level.INNER) || type.equals(Level.LEFT);
      node.nodes("larg").forEach(side -> collect(side, left ? all : outer, inForce));
      node.nodes("rarg").forEach(side -> collect(side, right ? all : outer, inForce));
    }
  }

  /** The conditions that every row meets that comes out of {@code FROM} and {@code WHERE}. */
  private static void collectForEveryRow(TreeNode node, List<TreeNode> always) {
    if (node.is("FROMEXPR")) {
      always.addAll(Level.conjuncts(node.node("quals")));
      node.nodes("fromlist").forEach(item -> collectForEveryRow(item, always));
    } else if (node.is("JOINEXPR")) {
      String type = node.text("jointype");
      if (type.equals(Level.INNER)) {
        always.addAll(Level.conjuncts(node.node("quals")));
      }
      if (type.equals(Level.INNER) || type.equals(Level.LEFT)) {
        node.nodes("larg").forEach(side -> collectForEveryRow(side, always));
      }
      if (type.equals(Level.INNER) || type.equals(Level.RIGHT)) {
        node.nodes("rarg").forEach(side -> collectForEveryRow(side, always));
      }
    }
  }

  /**
   * What a query's own columns must be, if some columns of its answer must be something: where a
   * condition on its rows is one on theirs, because no row's being there or not depends on others.
   */
  private static Map<Level.Column, List<PinValue>> push(
      Map<Integer, List<PinValue>> pins, Level below) {
    Map<Level.Column, List<PinValue>> pushed = new HashMap<>();
    if (pins.isEmpty() || !isSimple(below.query())) {
      return pushed;
    }
    Set<Integer> grouped = new TreeSet<>();
    below.query().nodes("groupClause").forEach(g -> grouped.add(g.number("tleSortGroupRef")));
    boolean groups = !grouped.isEmpty() || below.query().flag("hasAggs");
    for (TreeNode target : below.answer()) {
      List<PinValue> values = pins.get(target.number("resno"));
      if (values == null || (groups && !grouped.contains(target.number("ressortgroupref")))) {
        continue;
      }
      for (TreeNode expression : target.nodes("expr")) {
        Level.Column column = below.column(expression);
        if (column != null) {
          pushed.put(column, values);
        }
      }
    }
    return pushed;
  }

  private static boolean isSimple(TreeNode query) {
    return query.node("limitCount") == null
        && query.node("limitOffset") == null
        && query.nodes("groupingSets").isEmpty()
        && query.nodes("rowMarks").isEmpty()
        && !query.flag("hasWindowFuncs")
        && !query.flag("hasTargetSRFs")
        && !query.flag("hasDistinctOn");
  }

  /** Queries in expressions, and common table expressions. */
  private void subqueries(Level level, Map<Level.Column, List<PinValue>> inside) {
    Set<TreeNode> inFrom = new HashSet<>();
    for (TreeNode entry : level.entries()) {
      TreeNode subquery = entry.node("subquery");
      if (subquery != null) {
        inFrom.add(subquery);
      }
    }
    for (String field : level.query().fieldNames()) {
      for (TreeNode node : level.query().nodes(field)) {
        below(node, level, inside, inFrom);
      }
    }
  }

  private void below(
      TreeNode node, Level level, Map<Level.Column, List<PinValue>> inside, Set<TreeNode> inFrom) {
    if (node.is("QUERY")) {
      if (!inFrom.contains(node)) {
        level(new Level(node, level), inside, Map.of(), null);
      }
      return;
    }
    for (String field : node.fieldNames()) {
      node.nodes(field).forEach(inner -> below(inner, level, inside, inFrom));
    }
  }

  /** The branches of a set operation, in each of which the same columns stand. */
  private void setOperation(
      Level level,
      Map<Level.Column, List<PinValue>> around,
      Map<Level.Column, List<PinValue>> pushed) {
    if (level.query().node("setOperations") == null) {
      return;
    }
    Map<Integer, List<PinValue>> byPosition = new TreeMap<>();
    pushed.forEach(
        (column, values) -> {
          if (column.level() == level) {
            byPosition.put(column.number(), values);
          }
        });
    for (TreeNode entry : level.entries()) {
      TreeNode branch = entry.node("subquery");
      if (branch != null) {
        Level below = new Level(branch, level);
        level(below, around, push(byPosition, below), null);
      }
    }
  }
}
