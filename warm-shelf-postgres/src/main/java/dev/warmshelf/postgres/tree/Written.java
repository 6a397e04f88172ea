package dev.warmshelf.postgres.tree;

import dev.warmshelf.lane.Lane;
import java.util.HashSet;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * The tables that a statement names as the ones it changes. What it changes beside these, by
 * cascades, triggers and rules, no tree tells.
 */
final class Written {
  private static final int SELECT = 1;

  private Written() {}

  /** The lanes of the tables; null if that is not certain. */
  static @Nullable Set<Lane> by(TreeNode statement, Facts facts) {
    Set<Lane> lanes = new HashSet<>();
    return add(statement, facts, lanes) ? lanes : null;
  }

  private static boolean add(TreeNode node, Facts facts, Set<Lane> lanes) {
    if (node.is("QUERY") && node.number("commandType") != SELECT) {
      int target = node.number("resultRelation");
      if (target == 0) {
        return false;
      }
      Level level = new Level(node, null);
      if (!(facts.relation(level.entry(target).oid("relid"))
          instanceof Facts.Relation.Table table)) {
        return false;
      }
      lanes.add(table.lane());
    }
    for (String field : node.fieldNames()) {
      for (TreeNode inner : node.nodes(field)) {
        if (!add(inner, facts, lanes)) {
          return false;
        }
      }
    }
    return true;
  }
}
