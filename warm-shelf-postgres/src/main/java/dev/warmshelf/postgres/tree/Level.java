package dev.warmshelf.postgres.tree;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * One query of a tree, with the query that it stands in: what a {@code VAR}'s numbers count from.
 * Parts of a tree that are shown in several ways (a join's columns, a group's) are seen through
 * here.
 */
final class Level {
  static final int RELATION = 0;
  static final int SUBQUERY = 1;
  static final int JOIN = 2;
  static final int GROUP = 9;

  /** How {@code JOINEXPR} numbers its types (nodes.h); 2 is a full join. */
  static final String INNER = "0";

  static final String LEFT = "1";
  static final String RIGHT = "3";

  private final TreeNode query;
  private final @Nullable Level outer;
  private final List<TreeNode> entries;

  /**
   * @param outer the query around it; null for that of a statement or a view
   */
  Level(TreeNode query, @Nullable Level outer) {
    this.query = query;
    this.outer = outer;
    this.entries = query.nodes("rtable");
  }

  TreeNode query() {
    return query;
  }

  /** What stands in {@code FROM}, one by one, counted from 1 by its users. */
  List<TreeNode> entries() {
    return entries;
  }

  TreeNode entry(int number) {
    if (number < 1 || number > entries.size()) {
      throw new TreeNode.UnreadableException("There is no range table entry " + number + ".");
    }
    return entries.get(number - 1);
  }

  int kind(int number) {
    return entry(number).number("rtekind");
  }

  /** The query so many levels further out. */
  Level outwards(int levels) {
    Level level = this;
    for (int i = 0; i < levels; i++) {
      if (level.outer == null) {
        throw new TreeNode.UnreadableException("A variable leads out of its statement.");
      }
      level = level.outer;
    }
    return level;
  }

  /**
   * A column of an entry that is neither a join nor a group.
   *
   * @param number the column's in it; 0 for the whole row, negative for a system column
   */
  record Column(Level level, int entry, int number) {
    @Override
    public boolean equals(Object other) {
      return other instanceof Column that
          && level == that.level
          && entry == that.entry
          && number == that.number;
    }

    @Override
    public int hashCode() {
      return 31 * (31 * System.identityHashCode(level) + entry) + number;
    }
  }

  /** An expression and the query that it stands in. */
  record Placed(TreeNode expression, Level level) {}

  /** What a variable that names a join's or a group's column stands for; null for other ones. */
  @Nullable Placed standsFor(TreeNode variable) {
    Level level = outwards(variable.number("varlevelsup"));
    TreeNode entry = level.entry(variable.number("varno"));
    List<TreeNode> meanings =
        switch (entry.number("rtekind")) {
          case JOIN -> entry.nodes("joinaliasvars");
          case GROUP -> entry.nodes("groupexprs");
          default -> List.of();
        };
    int number = variable.number("varattno");
    return number >= 1 && number <= meanings.size()
        ? new Placed(meanings.get(number - 1), level)
        : null;
  }

  /** The column that an expression is, as it is; null if it is something else. */
  @Nullable Column column(TreeNode expression) {
    Level level = this;
    TreeNode inner = withoutRelabels(expression);
    while (inner.is("VAR")) {
      Placed meaning = level.standsFor(inner);
      if (meaning == null) {
        Level home = level.outwards(inner.number("varlevelsup"));
        int entry = inner.number("varno");
        boolean whole = home.kind(entry) == JOIN || home.kind(entry) == GROUP;
        return whole ? null : new Column(home, entry, inner.number("varattno"));
      }
      level = meaning.level();
      inner = withoutRelabels(meaning.expression());
    }
    return null;
  }

  /** The columns that an expression names; null if it names a whole join, which is anything's. */
  @Nullable Set<Column> named(@Nullable TreeNode expression) {
    Set<Column> named = new HashSet<>();
    return expression == null || addNamed(expression, named) ? named : null;
  }

  private boolean addNamed(TreeNode expression, Set<Column> named) {
    if (expression.is("VAR")) {
      Placed meaning = standsFor(expression);
      Column column = meaning == null ? column(expression) : null;
      if (column != null) {
        named.add(column);
      }
      return meaning == null ? column != null : addNamed(meaning.expression(), named);
    }
    for (String field : expression.fieldNames()) {
      for (TreeNode inner : expression.nodes(field)) {
        if (!addNamed(inner, named)) {
          return false;
        }
      }
    }
    return true;
  }

  private static final int TEXT = 25;
  private static final int VARCHAR = 1043;

  /** Without the casts that leave a string as it is. */
  static TreeNode withoutRelabels(TreeNode expression) {
    TreeNode inner = expression;
    while (inner.is("RELABELTYPE")
        && (inner.number("resulttype") == TEXT || inner.number("resulttype") == VARCHAR)) {
      TreeNode argument = inner.node("arg");
      if (argument == null) {
        break;
      }
      inner = argument;
    }
    return inner;
  }

  /** The conditions that must all hold for this one to. */
  static List<TreeNode> conjuncts(@Nullable TreeNode condition) {
    if (condition == null) {
      return List.of();
    } else if (condition.is("BOOLEXPR") && condition.text("boolop").equals("and")) {
      List<TreeNode> all = new ArrayList<>();
      condition.nodes("args").forEach(operand -> all.addAll(conjuncts(operand)));
      return all;
    }
    return List.of(condition);
  }

  /** The columns of the answer, in their order. */
  List<TreeNode> answer() {
    return query.nodes("targetList").stream().filter(target -> !target.flag("resjunk")).toList();
  }
}
