package dev.warmshelf.postgres.tree;

import java.util.HashMap;
import java.util.HashSet;
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
 *   <li>the table alone is the right side of a {@code LEFT JOIN}, whose {@code ON} has {@code b.c =
 *       d.k} among what must hold, with a column of its left side;
 *   <li>{@code d.k} stands in the select list as it is;
 *   <li>no condition of {@code WHERE} or of an inner join names the table, or a table that is
 *       joined by a condition that names it, or one that names that, and so on;
 *   <li>{@code FROM} holds tables only, and left and inner joins;
 *   <li>there is no {@code HAVING}, {@code LIMIT}, {@code OFFSET}, {@code DISTINCT}, grouping set,
 *       set operation, common table expression, subquery, row lock, or function that gives several
 *       rows.
 * </ul>
 */
final class AnswerLanes {
  private final Level level;
  private final Conditions conditions;
  private final boolean believed;

  private AnswerLanes(Level level, Facts facts, Conditions conditions) {
    this.level = level;
    this.conditions = conditions;
    this.believed = isPlain(level) && holdsTablesOnly(level, facts);
  }

  static AnswerLanes of(Level level, Facts facts, Conditions conditions) {
    return new AnswerLanes(level, facts, conditions);
  }

  /** Whether the statement is plain enough to believe anything of its answer. */
  boolean isBelieved() {
    return believed;
  }

  private static boolean isPlain(Level level) {
    TreeNode query = level.query();
    for (String field :
        List.of(
            "cteList",
            "havingQual",
            "distinctClause",
            "groupingSets",
            "limitCount",
            "limitOffset",
            "rowMarks",
            "setOperations")) {
      if (query.has(field)) {
        return false;
      }
    }
    return !query.flag("hasSubLinks") && !query.flag("hasTargetSRFs");
  }

  private static boolean holdsTablesOnly(Level level, Facts facts) {
    for (int number = 1; number <= level.entries().size(); number++) {
      int kind = level.kind(number);
      boolean table =
          kind == Level.RELATION
              && facts.relation(level.entry(number).oid("relid")) instanceof Facts.Relation.Table;
      if (!table && kind != Level.JOIN && kind != Level.GROUP) {
        return false;
      }
    }
    return true;
  }

  /**
   * By which columns of a table the answer tells its groups.
   *
   * @param number the table's among the entries
   * @return for each column the position of the answer's column that tells it, from 0
   */
  Map<String, Integer> of(int number, Facts.Relation.Table table) {
    TreeNode from = level.query().node("jointree");
    if (!believed || from == null) {
      return Map.of();
    }
    TreeNode join = joinOf(from, number);
    Set<Integer> touched = new HashSet<>(Set.of(number));
    if (join == null || !hidesNothing(from, join, touched)) {
      return Map.of();
    }
    Map<Level.Column, Integer> positions = positions();
    Map<String, Integer> told = new LinkedHashMap<>();
    for (TreeNode condition : Level.conjuncts(join.node("quals"))) {
      Conditions.EqualColumns equal = conditions.equalColumns(condition, level);
      if (equal != null) {
        put(equal.one(), equal.other(), number, table, positions, told);
        put(equal.other(), equal.one(), number, table, positions, told);
      }
    }
    return told;
  }

  private static void put(
      Level.Column own,
      Level.Column teller,
      int number,
      Facts.Relation.Table table,
      Map<Level.Column, Integer> positions,
      Map<String, Integer> told) {
    Facts.Column column = table.columns().get(own.number());
    Integer position = positions.get(teller);
    if (own.entry() == number && teller.entry() != number && column != null && position != null) {
      told.putIfAbsent(column.name(), position);
    }
  }

  /** Where columns stand in the answer as they are. */
  private Map<Level.Column, Integer> positions() {
    Map<Level.Column, Integer> positions = new HashMap<>();
    for (TreeNode target : level.answer()) {
      for (TreeNode expression : target.nodes("expr")) {
        Level.Column column = level.column(expression);
        if (column != null && column.level() == level) {
          positions.putIfAbsent(column, target.number("resno") - 1);
        }
      }
    }
    return positions;
  }

  /** The left join whose right side is this entry alone; null if there is none. */
  private static @Nullable TreeNode joinOf(TreeNode node, int number) {
    if (node.is("JOINEXPR")
        && node.text("jointype").equals(Level.LEFT)
        && node.nodes("rarg").stream().allMatch(side -> isEntry(side, number))) {
      return node;
    }
    for (String side : List.of("fromlist", "larg", "rarg")) {
      for (TreeNode inner : node.nodes(side)) {
        TreeNode found = joinOf(inner, number);
        if (found != null) {
          return found;
        }
      }
    }
    return null;
  }

  private static boolean isEntry(TreeNode node, int number) {
    return node.is("RANGETBLREF") && node.number("rtindex") == number;
  }

  /**
   * Whether no condition but the table's own can hide a row depending on it.
   *
   * @param touched entries whose rows' being there depends on the table; added to
   */
  private boolean hidesNothing(TreeNode node, TreeNode own, Set<Integer> touched) {
    for (String side : List.of("fromlist", "larg", "rarg")) {
      for (TreeNode inner : node.nodes(side)) {
        if (!hidesNothing(inner, own, touched)) {
          return false;
        }
      }
    }
    String type = node.text("jointype");
    if (node.is("JOINEXPR") && !type.equals(Level.INNER) && !type.equals(Level.LEFT)) {
      return false;
    }
    if (node == own || !names(node.node("quals"), touched)) {
      return true;
    }
    Set<Integer> right = new HashSet<>();
    node.nodes("rarg").forEach(side -> addEntries(side, right));
    if (!type.equals(Level.LEFT) || right.stream().anyMatch(touched::contains)) {
      return false;
    }
    touched.addAll(right);
    return true;
  }

  private static void addEntries(TreeNode node, Set<Integer> entries) {
    if (node.is("RANGETBLREF")) {
      entries.add(node.number("rtindex"));
    }
    node.nodes("larg").forEach(side -> addEntries(side, entries));
    node.nodes("rarg").forEach(side -> addEntries(side, entries));
  }

  /** Whether an expression names one of these entries, or may. */
  private boolean names(@Nullable TreeNode expression, Set<Integer> entries) {
    Set<Level.Column> named = level.named(expression);
    return named == null || named.stream().anyMatch(column -> entries.contains(column.entry()));
  }
}
