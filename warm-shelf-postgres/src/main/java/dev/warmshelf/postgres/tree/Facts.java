package dev.warmshelf.postgres.tree;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * What the database's catalogue says of the objects that a tree names by number.
 *
 * <p>Immutable as far as a reader can tell.
 */
public interface Facts {
  /** Null if nothing is known of it. */
  @Nullable Relation relation(long oid);

  /** Null if nothing is known of it. */
  @Nullable Function function(long oid);

  /** Null if nothing is known of it. */
  @Nullable Operator operator(long oid);

  /** Null if nothing is known of it. */
  @Nullable Type type(long oid);

  /** Whether two strings are equal under this collation only if their bytes are. */
  boolean isDeterministic(long collation);

  /** What a relation is. */
  sealed interface Relation {
    /** The name as the catalogue spells it, with the schema. */
    String name();

    /**
     * A table.
     *
     * @param lane of the root, if it is a partition or an inheritance child
     * @param columns by their numbers
     * @param placing the columns that decide whether a row is in this table or in another part of
     *     the root, by their names: of a partition, those of the keys above it. An update can move
     *     a row in or out by them alone
     */
    record Table(String name, Lane lane, Map<Integer, Column> columns, Set<String> placing)
        implements Relation {}

    /**
     * A view.
     *
     * @param trees its query, alone in a list
     */
    record View(String name, List<TreeNode> trees) implements Relation {}

    /**
     * Something whose changes cannot be followed, such as a materialized view.
     *
     * @param what in words, for the engineer
     * @param onlyRead whether reading it runs nothing of anybody's making, such as a policy of
     *     row-level security or a foreign server's wrapper
     */
    record Unfollowable(String name, String what, boolean onlyRead) implements Relation {}
  }

  /**
   * A column of a table.
   *
   * @param kind of its values if rows can be told apart by them; else null
   * @param computed whether its values are worked out from others when they are read
   */
  record Column(String name, @Nullable ColumnKind kind, boolean computed) {}

  /** How much a function's result depends on beside its arguments. */
  enum Volatility {
    IMMUTABLE,
    STABLE,
    VOLATILE
  }

  /**
   * A function.
   *
   * @param name without schema
   * @param signature with the types of its arguments, and with the schema unless it is the system's
   * @param system whether it is one of PostgreSQL's own
   * @param compiled whether it is written in C
   * @param parts functions that it runs beside itself, as an aggregate does
   * @param trees of expressions that it runs beside itself: its arguments' defaults
   */
  record Function(
      String name,
      String signature,
      Volatility volatility,
      boolean system,
      boolean compiled,
      List<Long> parts,
      List<TreeNode> trees) {}

  /**
   * An operator.
   *
   * @param functions its own, and those that an index or a sort by it runs
   */
  record Operator(String name, Set<Long> functions) {}

  /**
   * A type.
   *
   * @param moments whether its text may say <i>now</i>: a date, a time, or made of such
   * @param refused why no answer with such values is kept; null if they may be
   * @param functions that run whenever such values are compared, written or read
   * @param checks functions that run when a value is made into one of this type
   * @param trees of expressions that run then
   */
  record Type(
      String name,
      boolean moments,
      @Nullable String refused,
      Set<Long> functions,
      Set<Long> checks,
      List<TreeNode> trees) {}
}
