package dev.warmshelf.sql;

import dev.warmshelf.key.ValueKind;
import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.sql.Catalogue.Relation;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.function.Function;
import net.sf.jsqlparser.expression.DateTimeLiteralExpression;
import net.sf.jsqlparser.expression.DateUnitExpression;
import net.sf.jsqlparser.expression.Expression;
import net.sf.jsqlparser.expression.JdbcParameter;
import net.sf.jsqlparser.expression.LongValue;
import net.sf.jsqlparser.expression.StringValue;
import net.sf.jsqlparser.expression.operators.conditional.AndExpression;
import net.sf.jsqlparser.expression.operators.relational.EqualsTo;
import net.sf.jsqlparser.expression.operators.relational.InExpression;
import net.sf.jsqlparser.expression.operators.relational.ParenthesedExpressionList;
import net.sf.jsqlparser.schema.Column;
import net.sf.jsqlparser.schema.Table;
import net.sf.jsqlparser.statement.select.FromItem;
import net.sf.jsqlparser.statement.select.Join;
import net.sf.jsqlparser.statement.select.PlainSelect;
import org.jspecify.annotations.Nullable;

/**
 * Which columns of the tables in one {@code SELECT} are pinned to values: rows with another value
 * cannot count in its result.
 *
 * <p>A conjunct of {@code WHERE} or of an inner join's {@code ON} must hold for every row that
 * counts. A conjunct of a left join's {@code ON} must hold for the rows of its right side that
 * count, and says nothing of its left side. With a right or full join in the query only {@code
 * WHERE} is believed. Pins carry over through equalities of columns: {@code a.id = b.a_id AND a.id
 * = 7} pins {@code b.a_id}. An unqualified column is believed only where there is one table it can
 * belong to.
 *
 * <p>Both only for columns of one {@link ValueKind}: what a case-insensitive column or a float
 * calls equal must not be carried to one that tells more apart.
 */
final class Equalities {
  /** A longer list would make as many lanes. */
  private static final int LONGEST_LIST = 16;

  private final SqlStatement statement;
  private final boolean outermost;
  private final Function<Table, Relation> relations;
  private final Map<String, Relation.Table> tables = new HashMap<>();

  /** A column of a table in {@code FROM}, by the name the query gives the table. */
  private record Reference(String table, String column) {}

  /** What a set of conjuncts says. */
  private static final class Conjuncts {
    private final Map<Reference, List<Source>> pins = new LinkedHashMap<>();
    private final List<Reference[]> equal = new ArrayList<>();

    Conjuncts and(Conjuncts other) {
      Conjuncts both = new Conjuncts();
      both.pins.putAll(other.pins);
      both.pins.putAll(pins);
      both.equal.addAll(equal);
      both.equal.addAll(other.equal);
      return both;
    }

    /** All pins, those carried over by equalities included. */
    Map<Reference, List<Source>> closure() {
      Map<Reference, List<Source>> all = new LinkedHashMap<>(pins);
      boolean grew = true;
      while (grew) {
        grew = false;
        for (Reference[] pair : equal) {
          grew |= carry(all, pair[0], pair[1]) || carry(all, pair[1], pair[0]);
        }
      }
      return all;
    }

    private static boolean carry(Map<Reference, List<Source>> all, Reference from, Reference to) {
      List<Source> values = all.get(from);
      return values != null && all.putIfAbsent(to, values) == null;
    }
  }

  private Equalities(
      SqlStatement statement, boolean outermost, Function<Table, Relation> relations) {
    this.statement = statement;
    this.outermost = outermost;
    this.relations = relations;
  }

  /**
   * The pinned columns of each table in the {@code FROM} of one {@code SELECT}.
   *
   * @param outermost whether no other query encloses it, so that a column cannot come from outside
   * @param relations what the catalogue says of a table that the query names
   */
  static Map<Table, Map<String, List<Source>>> of(
      PlainSelect select,
      SqlStatement statement,
      boolean outermost,
      Function<Table, Relation> relations) {
    return new Equalities(statement, outermost, relations).pins(select);
  }

  private Map<Table, Map<String, List<Source>>> pins(PlainSelect select) {
    List<Join> joins = select.getJoins() == null ? List.of() : select.getJoins();
    String onlyTable =
        outermost && joins.isEmpty() && select.getFromItem() instanceof Table table
            ? nameOf(table)
            : null;
    know(select.getFromItem());
    joins.forEach(join -> know(join.getFromItem()));
    Conjuncts everywhere = new Conjuncts();
    gather(select.getWhere(), onlyTable, everywhere);
    boolean onlyWhere = joins.stream().anyMatch(join -> join.isRight() || join.isFull());
    if (!onlyWhere) {
      for (Join join : joins) {
        if (!join.isLeft()) {
          gatherAll(join.getOnExpressions(), everywhere);
        }
      }
    }
    Map<Table, Map<String, List<Source>>> found = new HashMap<>();
    add(select.getFromItem(), everywhere, found);
    for (Join join : joins) {
      Conjuncts here = everywhere;
      if (join.isLeft() && !onlyWhere) {
        Conjuncts own = new Conjuncts();
        gatherAll(join.getOnExpressions(), own);
        here = own.and(everywhere);
      }
      add(join.getFromItem(), here, found);
    }
    return found;
  }

  private void know(@Nullable FromItem item) {
    if (item instanceof Table table
        && relations.apply(table) instanceof Relation.Table known
        && (table.getAlias() == null || table.getAlias().getAliasColumns() == null)) {
      tables.put(nameOf(table), known);
    }
  }

  /** The kind of a column by whose values rows can be told apart, or null. */
  private @Nullable ValueKind kind(Reference column) {
    Relation.Table table = tables.get(column.table());
    return table == null ? null : table.kind(column.column());
  }

  private static void add(
      @Nullable FromItem item, Conjuncts conjuncts, Map<Table, Map<String, List<Source>>> found) {
    if (item instanceof Table table) {
      Map<String, List<Source>> columns = new LinkedHashMap<>();
      conjuncts
          .closure()
          .forEach(
              (reference, values) -> {
                if (reference.table().equals(nameOf(table))) {
                  columns.put(reference.column(), values);
                }
              });
      found.put(table, columns);
    }
  }

  private void gatherAll(@Nullable Collection<Expression> expressions, Conjuncts into) {
    if (expressions != null) {
      expressions.forEach(expression -> gather(expression, null, into));
    }
  }

  private void gather(@Nullable Expression expression, @Nullable String onlyTable, Conjuncts into) {
    if (expression instanceof AndExpression and) {
      gather(and.getLeftExpression(), onlyTable, into);
      gather(and.getRightExpression(), onlyTable, into);
    } else if (expression instanceof ParenthesedExpressionList<?> list && list.size() == 1) {
      gather(list.get(0), onlyTable, into);
    } else if (expression instanceof EqualsTo equals) {
      Reference left = reference(equals.getLeftExpression(), onlyTable);
      Reference right = reference(equals.getRightExpression(), onlyTable);
      if (left != null && right != null && kind(left) != null && kind(left) == kind(right)) {
        into.equal.add(new Reference[] {left, right});
      } else if (left != null && right != null) {
        return; // equal in a way that is not ours
      } else if (left != null) {
        pin(left, List.of(equals.getRightExpression()), into);
      } else if (right != null) {
        pin(right, List.of(equals.getLeftExpression()), into);
      }
    } else if (expression instanceof InExpression in
        && !in.isNot()
        && in.getRightExpression() instanceof ParenthesedExpressionList<?> list
        && list.size() <= LONGEST_LIST) {
      Reference left = reference(in.getLeftExpression(), onlyTable);
      if (left != null) {
        pin(left, list, into);
      }
    }
  }

  private void pin(Reference column, Collection<? extends Expression> to, Conjuncts into) {
    if (kind(column) == null) {
      return;
    }
    List<Source> values = new ArrayList<>();
    for (Expression expression : to) {
      Source value = value(expression);
      if (value == null) {
        return;
      }
      values.add(value);
    }
    into.pins.putIfAbsent(column, List.copyOf(values));
  }

  private @Nullable Source value(Expression expression) {
    if (expression instanceof JdbcParameter parameter && parameter.getIndex() != null) {
      int[] order = statement.driverOrder();
      int index = parameter.getIndex() - 1;
      return index >= 0 && index < order.length ? new Source.Parameter(order[index]) : null;
    } else if (expression instanceof LongValue number && number.getStringValue().length() < 19) {
      return new Source.Constant(number.getValue());
    } else if (expression instanceof StringValue string && string.getPrefix() == null) {
      return constant(Literal.string(SyntaxTree.contentOf(string.getValue(), statement)));
    } else if (expression instanceof DateTimeLiteralExpression literal
        && "date".equalsIgnoreCase(String.valueOf(literal.getType()))) {
      String quoted = literal.getValue();
      return constant(
          Literal.date(SyntaxTree.contentOf(quoted.substring(1, quoted.length() - 1), statement)));
    }
    return null;
  }

  private static @Nullable Source constant(@Nullable Object value) {
    return value == null ? null : new Source.Constant(value);
  }

  private static @Nullable Reference reference(Expression expression, @Nullable String onlyTable) {
    if (expression instanceof DateUnitExpression unit && onlyTable != null) {
      // The parser takes a bare column named day, month or year for a unit of time.
      return new Reference(onlyTable, unit.getType().name().toLowerCase(Locale.ROOT));
    }
    if (!(expression instanceof Column column)) {
      return null;
    }
    Table table = column.getTable();
    if (table == null || table.getName() == null) {
      return onlyTable == null ? null : new Reference(onlyTable, unquoted(column.getColumnName()));
    }
    return table.getSchemaName() == null
        ? new Reference(unquoted(table.getName()), unquoted(column.getColumnName()))
        : null;
  }

  static String nameOf(Table table) {
    return unquoted(table.getAlias() == null ? table.getName() : table.getAlias().getName());
  }

  private static String unquoted(String name) {
    return name.startsWith("\"") && name.length() > 1
        ? name.substring(1, name.length() - 1).replace("\"\"", "\"")
        : name;
  }
}
