package dev.warmshelf.sql;

import dev.warmshelf.key.Lane;
import dev.warmshelf.key.Lanes.Reach;
import dev.warmshelf.key.ValueKind;
import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.sql.Catalogue.Relation;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import net.sf.jsqlparser.schema.Table;
import net.sf.jsqlparser.statement.select.FromItem;
import net.sf.jsqlparser.statement.select.Join;
import net.sf.jsqlparser.statement.select.PlainSelect;
import org.jspecify.annotations.Nullable;

/**
 * How far into each of its tables a statement reaches. A table that it names several times, or also
 * reads through a view, is reached by all these ways together.
 */
final class Reaches {
  private final SqlStatement statement;
  private final SyntaxTree tree;
  private final Catalogue catalogue;

  /** Pinned columns of each table's name in the statement. */
  private final Map<SyntaxTree.TableName, Map<String, List<Source>>> pinned = new LinkedHashMap<>();

  /** Tables that are read through a view, and so without looking closer. */
  private final Set<Lane> throughViews;

  /**
   * @param throughViews the tables under the views that the statement names
   */
  Reaches(SqlStatement statement, SyntaxTree tree, Catalogue catalogue, Set<Lane> throughViews) {
    this.statement = statement;
    this.tree = tree;
    this.catalogue = catalogue;
    this.throughViews = throughViews;
    for (PlainSelect select : tree.selects()) {
      Equalities.of(select, statement, tree.selects().size() == 1, this::relation)
          .forEach(
              (table, columns) -> {
                SyntaxTree.TableName name = tree.nameOf(table);
                if (name != null) {
                  pinned.put(name, columns);
                }
              });
    }
  }

  /** What each table is pinned to, for tables that are pinned wherever they occur. */
  List<Pin> pins() {
    Set<Lane> unpinned = new HashSet<>(throughViews);
    for (SyntaxTree.TableName name : tree.tables()) {
      if (relation(name) instanceof Relation.Table table
          && pinned.getOrDefault(name, Map.of()).isEmpty()) {
        unpinned.add(table.lane());
      }
    }
    List<Pin> pins = new ArrayList<>();
    pinned.forEach(
        (name, columns) -> {
          if (relation(name) instanceof Relation.Table table && !unpinned.contains(table.lane())) {
            columns.forEach((column, values) -> pins.add(new Pin(table.lane(), column, values)));
          }
        });
    pins.sort(Comparator.comparing(Pin::table).thenComparing(Pin::column));
    return pins;
  }

  /** The reaches of an answer whose tables are told apart like this. */
  List<Reach> reaches(TellingApart apart) {
    Map<Lane, Set<Reach>> found = new LinkedHashMap<>();
    throughViews.forEach(lane -> found.put(lane, new HashSet<>(Set.of(new Reach.Whole(lane)))));
    for (SyntaxTree.TableName name : tree.tables()) {
      if (relation(name) instanceof Relation.Table table) {
        found
            .computeIfAbsent(table.lane(), lane -> new HashSet<>())
            .add(reach(name, table.lane(), apart.columns(table.lane()), apart.byAnswers()));
      }
    }
    List<Reach> reaches = new ArrayList<>();
    found.forEach(
        (lane, ways) -> {
          Reach whole = new Reach.Whole(lane);
          if (ways.contains(whole)) {
            reaches.add(whole);
          } else {
            reaches.addAll(ways);
          }
        });
    return reaches;
  }

  /** The reaches if every table were told apart by every column that it can be told apart by. */
  List<Reach> finestReaches() {
    Map<Lane, Map<String, ValueKind>> columns = new HashMap<>();
    for (SyntaxTree.TableName name : tree.tables()) {
      if (relation(name) instanceof Relation.Table table && table.columns() != null) {
        columns.put(table.lane(), table.columns());
      }
    }
    return reaches(lane -> columns.getOrDefault(lane, Map.of()));
  }

  private Reach reach(
      SyntaxTree.TableName name, Lane lane, Map<String, ValueKind> apart, boolean byAnswers) {
    Map<String, List<Source>> pins = pinned.getOrDefault(name, Map.of());
    Reach.Groups best = null;
    for (Map.Entry<String, ValueKind> column : apart.entrySet()) {
      List<Source> values = pins.get(column.getKey());
      if (values != null && (best == null || values.size() < best.values().size())) {
        best = new Reach.Groups(lane, column.getKey(), column.getValue(), values);
      }
    }
    if (best != null) {
      return best;
    }
    Reach told = byAnswers ? told(name, lane, apart) : null;
    return told == null ? new Reach.Whole(lane) : told;
  }

  private @Nullable Reach told(SyntaxTree.TableName name, Lane lane, Map<String, ValueKind> apart) {
    if (apart.isEmpty() || tree.selects().size() != 1) {
      return null;
    }
    Map<String, Relation.Table> relations = new HashMap<>();
    String alias = null;
    for (FromItem item : fromItems(tree.selects().get(0))) {
      if (item instanceof Table table
          && relation(table) instanceof Relation.Table known
          && (table.getAlias() == null || table.getAlias().getAliasColumns() == null)) {
        relations.put(Equalities.nameOf(table), known);
        if (name.equals(tree.nameOf(table))) {
          alias = Equalities.nameOf(table);
        }
      }
    }
    if (alias == null) {
      return null;
    }
    Map<String, ToldByAnswer.Told> told = ToldByAnswer.of(statement, tree, name, alias, relations);
    for (Map.Entry<String, ValueKind> column : apart.entrySet()) {
      ToldByAnswer.Told by = told.get(column.getKey());
      if (by != null) {
        return new Reach.Told(lane, column.getKey(), column.getValue(), by.position());
      }
    }
    return null;
  }

  private static List<FromItem> fromItems(PlainSelect select) {
    List<FromItem> items = new ArrayList<>();
    items.add(select.getFromItem());
    if (select.getJoins() != null) {
      for (Join join : select.getJoins()) {
        items.add(join.getFromItem());
      }
    }
    return items;
  }

  private Relation relation(Table table) {
    SyntaxTree.TableName name = tree.nameOf(table);
    return name == null ? new Relation.Missing() : relation(name);
  }

  private Relation relation(SyntaxTree.TableName name) {
    return catalogue.relation(name.schema(), name.name());
  }
}
