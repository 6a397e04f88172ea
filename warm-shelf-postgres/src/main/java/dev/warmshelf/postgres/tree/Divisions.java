package dev.warmshelf.postgres.tree;

import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.MendingPlan.Sort;
import dev.warmshelf.statement.Analysis;
import dev.warmshelf.statement.Analysis.Mendable;
import dev.warmshelf.statement.Analysis.Shown;
import dev.warmshelf.statement.Analysis.Teller;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * By which of its columns an answer falls into independent parts: {@code SELECT s.id, ... FROM
 * sailing s JOIN route r ... LEFT JOIN booking b ON b.sailing_id = s.id ...} is, for each {@code
 * id}, what it would be if there were no other sailings and no bookings of others.
 *
 * <p>That is so if
 *
 * <ul>
 *   <li>{@code FROM} holds tables only, and there is no {@code HAVING}, {@code LIMIT}, {@code
 *       OFFSET}, {@code DISTINCT}, grouping set, set operation, common table expression, subquery,
 *       row lock, window function, or function that gives several rows ({@link AnswerLanes} asks
 *       the same);
 *   <li>the column stands in the select list as it is, and is one of a table that no outer join can
 *       leave out: then each combined row has one value of it;
 *   <li>the answer is ordered, by columns that it shows: else nobody could say where a row belongs;
 *   <li>the answer is grouped by that column among others, or there are no aggregates: then each
 *       row of the answer is made of combined rows of one value.
 * </ul>
 *
 * <p>A row of the column's own table belongs to the part of its value. So does a row of another
 * table, if an equality of one of its columns with that column is in force for it ({@link
 * TableReads}): the combined rows that it is in, or that are there in its absence, all have that
 * value. A table that stands in {@code FROM} more than once must tell its parts at each place.
 */
final class Divisions {
  /**
   * What a type's own order calls <i>less</i>, by number (pg_operator.dat): of whole numbers of
   * two, four and eight bytes, decimals, floats of four and eight bytes, days, times, moments
   * without and with a zone, spans, booleans, strings, padded ones, names, bytes, UUIDs, and enums.
   * An operator of somebody's own may be called alike.
   */
  private static final Set<Long> ASCENDING =
      Set.of(
          95L, 97L, 412L, 1754L, 622L, 672L, 1095L, 1110L, 2062L, 1322L, 1332L, 58L, 664L, 1058L,
          660L, 1957L, 2974L, 3518L);

  /** What they call <i>greater</i>. */
  private static final Set<Long> DESCENDING =
      Set.of(
          520L, 521L, 413L, 1756L, 623L, 674L, 1097L, 1112L, 2064L, 1324L, 1334L, 59L, 666L, 1060L,
          662L, 1959L, 2975L, 3519L);

  private final Level level;
  private final Facts facts;
  private final Conditions conditions;
  private final Map<Integer, List<TreeNode>> inForce;
  private final Set<Integer> alwaysThere = new HashSet<>();
  private final boolean believed;
  private final boolean grouped;
  private final boolean ofAllRows;

  /**
   * @param believed whether the query is one that {@link AnswerLanes} would believe
   * @param inForce the conditions in force for each entry
   */
  Divisions(
      Level level,
      Facts facts,
      Conditions conditions,
      boolean believed,
      Map<Integer, List<TreeNode>> inForce) {
    this.level = level;
    this.facts = facts;
    this.conditions = conditions;
    this.inForce = inForce;
    TreeNode from = level.query().node("jointree");
    this.believed = believed && from != null;
    this.grouped = level.query().has("groupClause");
    this.ofAllRows = level.query().flag("hasAggs") && !grouped;
    if (from != null) {
      addAlwaysThere(from);
    }
  }

  /** How the answer falls into parts. */
  Mendable mendable() {
    if (!believed) {
      return Mendable.not(
          "it reads not only tables, or has HAVING, LIMIT, DISTINCT, a set operation, subquery or"
              + " the like");
    } else if (level.query().flag("hasWindowFuncs")) {
      return Mendable.not("a window function sees rows of other parts");
    } else if (ofAllRows) {
      return Mendable.not("its aggregates are of all rows");
    }
    List<Sort> order = order();
    List<Analysis.Division> found = new ArrayList<>();
    dividing().forEach((column, position) -> add(column, position, found));
    if (found.isEmpty()) {
      return Mendable.not(
          "its answer shows no column as it is that divides it: one of a table that is always there"
              + (grouped ? ", and that it is grouped by" : ""));
    }
    return order.isEmpty()
        ? Mendable.not("it is not ordered, or not by columns that it shows")
        : new Mendable(found, order, "");
  }

  /** The entries that stand on no side of an outer join that may be missing. */
  private void addAlwaysThere(TreeNode node) {
    if (node.is("RANGETBLREF")) {
      alwaysThere.add(node.number("rtindex"));
    } else if (node.is("FROMEXPR")) {
      node.nodes("fromlist").forEach(this::addAlwaysThere);
    } else if (node.is("JOINEXPR")) {
      String type = node.text("jointype");
      if (type.equals(Level.INNER) || type.equals(Level.LEFT)) {
        node.nodes("larg").forEach(this::addAlwaysThere);
      }
      if (type.equals(Level.INNER) || type.equals(Level.RIGHT)) {
        node.nodes("rarg").forEach(this::addAlwaysThere);
      }
    }
  }

  /**
   * Of an entry's table, the columns of which each row that counts shows its value in the answer,
   * with what decides whether it does; see {@link Analysis.Shown}.
   */
  List<Shown> shown(int number) {
    Facts.Relation.Table table = table(number);
    Set<String> deciding = table == null || !believed || ofAllRows ? null : deciding(number, table);
    if (table == null || deciding == null) {
      return List.of();
    }
    List<Shown> shown = new ArrayList<>();
    dividing()
        .forEach(
            (by, position) -> {
              Facts.Column column = table.columns().get(by.number());
              if (by.entry() == number && column != null && !column.computed()) {
                shown.add(new Shown(column.name(), position, deciding));
              }
            });
    return shown;
  }

  /**
   * The columns of an entry that {@code FROM} and {@code WHERE} name, and those that decide whether
   * a row is in that table at all; null if it is not certain.
   */
  private @Nullable Set<String> deciding(int number, Facts.Relation.Table table) {
    Set<Level.Column> named = level.named(level.query().node("jointree"));
    if (named == null) {
      return null;
    }
    Set<String> names = new HashSet<>(table.placing());
    for (Level.Column each : named) {
      if (each.entry() == number) {
        Facts.Column column = table.columns().get(each.number());
        if (column == null || column.computed()) {
          return null; // the whole row, or made of other columns
        }
        names.add(column.name());
      }
    }
    return names;
  }

  /** The columns that divide the answer, each with its position there, from 0. */
  private Map<Level.Column, Integer> dividing() {
    Set<Integer> groups = new HashSet<>();
    level.query().nodes("groupClause").forEach(g -> groups.add(g.number("tleSortGroupRef")));
    Map<Level.Column, Integer> found = new LinkedHashMap<>();
    for (TreeNode target : level.answer()) {
      for (TreeNode expression : target.nodes("expr")) {
        Level.Column column = level.column(expression);
        if (column != null
            && column.level() == level
            && alwaysThere.contains(column.entry())
            && (!grouped || groups.contains(target.number("ressortgroupref")))) {
          found.putIfAbsent(column, target.number("resno") - 1);
        }
      }
    }
    return found;
  }

  private void add(Level.Column by, int position, List<Analysis.Division> found) {
    Facts.Relation.Table own = table(by.entry());
    Facts.Column column = own == null ? null : own.columns().get(by.number());
    if (column == null || column.kind() == null || column.computed()) {
      return;
    }
    Map<Lane, List<Teller>> tellers = new LinkedHashMap<>();
    Set<Lane> silent = new HashSet<>();
    for (int number = 1; number <= level.entries().size(); number++) {
      Facts.Relation.Table table = table(number);
      if (table != null) {
        Facts.Column tells = number == by.entry() ? column : teller(number, table, by);
        if (tells == null || !column.kind().equals(tells.kind())) {
          silent.add(table.lane());
        } else {
          tellers
              .computeIfAbsent(table.lane(), lane -> new ArrayList<>())
              .add(new Teller(tells.name(), column.kind()));
        }
      }
    }
    tellers.keySet().removeAll(silent);
    if (!tellers.isEmpty()) {
      found.add(new Analysis.Division(position, column.kind(), tellers));
    }
  }

  private Facts.Relation.@Nullable Table table(int number) {
    return level.kind(number) == Level.RELATION
            && facts.relation(level.entry(number).oid("relid")) instanceof Facts.Relation.Table t
        ? t
        : null;
  }

  /** The column of an entry that is equal to the one that divides. */
  private Facts.@Nullable Column teller(int number, Facts.Relation.Table table, Level.Column by) {
    for (TreeNode condition : inForce.getOrDefault(number, List.of())) {
      Conditions.EqualColumns equal = conditions.equalColumns(condition, level);
      if (equal != null) {
        Level.Column own = equal.other().equals(by) ? equal.one() : equal.other();
        boolean both = equal.one().equals(by) || equal.other().equals(by);
        if (both && own.level() == level && own.entry() == number) {
          return table.columns().get(own.number());
        }
      }
    }
    return null;
  }

  /** What rows are ordered by; empty if by nothing, or the answer does not show it. */
  private List<Sort> order() {
    Map<Integer, TreeNode> targets = new HashMap<>();
    for (TreeNode target : level.answer()) {
      targets.put(target.number("ressortgroupref"), target);
    }
    List<Sort> order = new ArrayList<>();
    for (TreeNode clause : level.query().nodes("sortClause")) {
      TreeNode target = targets.get(clause.number("tleSortGroupRef"));
      long operator = clause.oid("sortop");
      boolean descending = DESCENDING.contains(operator);
      if (target == null || !(descending || ASCENDING.contains(operator))) {
        return List.of();
      }
      order.add(new Sort(target.number("resno") - 1, descending, clause.flag("nulls_first")));
    }
    return order;
  }
}
