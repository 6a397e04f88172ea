package dev.warmshelf.postgres.tree;

import dev.warmshelf.statement.Refusal.Reason;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * Goes through all of a statement's tree, and through the trees of the views that it names, and
 * tells what it comes by. It enters each node once.
 */
final class Visit {
  /** Of the numbers by which the server counts a table's columns from its system columns on. */
  private static final int COLUMN_OFFSET = 7;

  private static final int SELECT = 1;

  /** How {@code SUBLINK} numbers {@code EXISTS} (primnodes.h). */
  private static final int EXISTS = 0;

  private static final int MOST_VIEWS = 200;

  private final Grammar grammar;
  private final Facts facts;
  private final Teller teller;
  private final Set<Object> aliasesEntered = new HashSet<>();
  private final Set<Long> viewsEntered = new HashSet<>();

  /** Is told what there is, with the views through which it is read. */
  interface Teller {
    void names(Grammar.Role role, long oid, TreeNode node, List<String> views);

    /** A column of a relation is read; number 0 is the whole row, a negative one the system's. */
    void reads(long relation, int column, List<String> views);

    /**
     * A relation is read, be it no column of it.
     *
     * @param called its name in the statement
     */
    void reads(long relation, String called, List<String> views);

    /** What cannot be kept, whatever it names. */
    void refuses(Reason reason, String subject, List<String> views);

    /** Each query that only reads. */
    default void queries(TreeNode query) {}

    /** Each node that is entered. */
    default void enters(TreeNode node, Level level, List<String> views) {}
  }

  Visit(Grammar grammar, Facts facts, Teller teller) {
    this.grammar = grammar;
    this.facts = facts;
    this.teller = teller;
  }

  /** A whole query. */
  void query(TreeNode query) {
    query(query, null, List.of(), true);
  }

  /** An expression that stands in no query. */
  void expression(TreeNode expression, List<String> views) {
    enter(expression, null, views);
  }

  /**
   * @param valued whether the values of its answer are asked for, and not only if there is any:
   *     then columns that it shows as they are count for nothing
   */
  private void query(TreeNode query, @Nullable Level outer, List<String> views, boolean valued) {
    Level level = new Level(query, outer);
    if (query.number("commandType") != SELECT) {
      teller.refuses(Reason.CHANGES_DATA, "", views);
      return;
    }
    teller.queries(query);
    check(query, views);
    for (TreeNode permission : query.nodes("rteperminfos")) {
      check(permission, views);
      if (valued) {
        columns(permission, views);
      }
    }
    for (TreeNode entry : level.entries()) {
      entry(entry, level, views, valued);
    }
    for (String field : query.fieldNames()) {
      if (!field.equals("rtable")
          && !field.equals("rteperminfos")
          && grammar.role(query, field) != Grammar.Role.SKIPPED) {
        for (TreeNode node : query.nodes(field)) {
          if (valued || !isShownAsItIs(node)) {
            enter(node, level, views);
          } else {
            checkAll(node, views);
          }
        }
      }
    }
  }

  private static boolean isShownAsItIs(TreeNode node) {
    return node.is("TARGETENTRY")
        && node.number("ressortgroupref") == 0
        && node.nodes("expr").stream().allMatch(expression -> expression.is("VAR"));
  }

  /** Whether it has a row as often as {@code FROM} and {@code WHERE} give one. */
  private static boolean isPlain(TreeNode query) {
    return query.node("setOperations") == null
        && query.nodes("groupClause").isEmpty()
        && query.nodes("groupingSets").isEmpty()
        && query.nodes("distinctClause").isEmpty()
        && !query.flag("hasAggs")
        && !query.flag("hasTargetSRFs");
  }

  private void entry(TreeNode entry, Level level, List<String> views, boolean valued) {
    check(entry, views);
    if (entry.number("rtekind") == Level.RELATION) {
      relation(entry, level, views, valued);
    }
    TreeNode subquery = entry.node("subquery");
    if (subquery != null) {
      query(subquery, level, views, true);
    }
    for (String field : entry.fieldNames()) {
      if (!field.equals("subquery") && grammar.role(entry, field) != Grammar.Role.SKIPPED) {
        entry.nodes(field).forEach(node -> enter(node, level, views));
      }
    }
  }

  private void relation(TreeNode entry, Level level, List<String> views, boolean valued) {
    long relation = entry.oid("relid");
    if (isPlaceholder(entry, level)) {
      return;
    }
    TreeNode names = entry.node("eref");
    teller.reads(relation, names == null ? "" : names.text("aliasname"), views);
    if (valued) {
      columns(entry, views);
    }
    if (facts.relation(relation) instanceof Facts.Relation.View view
        && viewsEntered.add(relation)) {
      if (viewsEntered.size() > MOST_VIEWS) {
        teller.refuses(Reason.TOO_DEEP, Integer.toString(MOST_VIEWS), views);
        return;
      }
      List<String> inside = new ArrayList<>(views);
      inside.add(view.name());
      view.trees().forEach(query -> query(query, null, List.copyOf(inside), true));
    }
  }

  /** Up to version 15 a view's tree names the view itself, twice, as what rules see of rows. */
  static boolean isPlaceholder(TreeNode entry, Level level) {
    TreeNode alias = entry.node("alias");
    return alias != null
        && !entry.flag("inFromCl")
        && level.entries().indexOf(entry) < 2
        && (alias.text("aliasname").equals("old") || alias.text("aliasname").equals("new"));
  }

  /** The columns that the server asks permissions for. */
  private void columns(TreeNode entry, List<String> views) {
    for (Long column : entry.numbers("selectedCols")) {
      teller.reads(entry.oid("relid"), (int) (column - COLUMN_OFFSET), views);
    }
  }

  private void enter(TreeNode node, @Nullable Level level, List<String> views) {
    if (node.is("QUERY")) {
      query(node, level, views, true);
      return;
    }
    check(node, views);
    boolean exists = node.is("SUBLINK") && node.number("subLinkType") == EXISTS;
    if (level != null) {
      teller.enters(node, level, views);
      if (node.is("VAR")) {
        variable(node, level, views);
      }
    }
    for (String field : node.fieldNames()) {
      if (grammar.role(node, field) != Grammar.Role.SKIPPED) {
        for (TreeNode inner : node.nodes(field)) {
          if (exists && inner.is("QUERY") && isPlain(inner)) {
            query(inner, level, views, false);
          } else {
            enter(inner, level, views);
          }
        }
      }
    }
  }

  private void variable(TreeNode variable, Level level, List<String> views) {
    Level home = level.outwards(variable.number("varlevelsup"));
    TreeNode entry = home.entry(variable.number("varno"));
    int column = variable.number("varattno");
    if (entry.number("rtekind") == Level.RELATION) {
      teller.reads(entry.oid("relid"), column, views);
    } else if (entry.number("rtekind") == Level.JOIN) {
      List<TreeNode> meanings = entry.nodes("joinaliasvars");
      for (int i = 1; i <= meanings.size(); i++) {
        if ((column == 0 || column == i)
            && aliasesEntered.add(new Level.Column(home, variable.number("varno"), i))) {
          enter(meanings.get(i - 1), home, views);
        }
      }
    }
  }

  /** Tells what the node's numbers name, and refuses what is not understood. */
  private void check(TreeNode node, List<String> views) {
    if (!grammar.knows(node)) {
      teller.refuses(Reason.UNKNOWN_NODE, node.name(), views);
      return;
    }
    for (String field : node.fieldNames()) {
      Grammar.Role role = grammar.role(node, field);
      if (role == null || (role == Grammar.Role.EMPTY && isFilled(node, field))) {
        teller.refuses(Reason.UNKNOWN_NODE, node.name() + "." + field, views);
      } else if (role != Grammar.Role.PLAIN
          && role != Grammar.Role.SKIPPED
          && role != Grammar.Role.EMPTY) {
        numbers(node, field).stream()
            .filter(oid -> oid != 0)
            .forEach(oid -> teller.names(role, oid, node, views));
      }
    }
  }

  private void checkAll(TreeNode node, List<String> views) {
    check(node, views);
    for (String field : node.fieldNames()) {
      node.nodes(field).forEach(inner -> checkAll(inner, views));
    }
  }

  private static boolean isFilled(TreeNode node, String field) {
    return !node.nodes(field).isEmpty() || !node.numbers(field).isEmpty();
  }

  private static List<Long> numbers(TreeNode node, String field) {
    List<Long> list = node.numbers(field);
    return list.isEmpty() && !node.text(field).isEmpty() ? List.of(node.oid(field)) : list;
  }
}
