package dev.warmshelf.plan;

import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * How the lanes of an answer follow from its question, and some of them from the answer itself.
 *
 * <p>Immutable. Made once per statement.
 */
public final class FootprintPlan {
  /** An answer that tells more groups of one table than this depends on the whole table. */
  public static final int MOST_GROUPS = 1_024;

  private final List<Reach> reaches;
  private final boolean fixed;
  private final Footprint tables;
  private final List<Lane> always;
  private final Footprint whole;

  /** How far into one table an answer reaches. */
  public sealed interface Reach {
    /** The table. */
    Lane table();

    /** To all its rows. */
    record Whole(Lane table) implements Reach {}

    /**
     * To rows whose column has one of these values, known from the question.
     *
     * @param values never empty
     */
    record Groups(Lane table, String column, ColumnKind kind, List<Source> values)
        implements Reach {}

    /**
     * To rows whose column has one of the values that stand in a column of the answer.
     *
     * @param position of the answer's column, from 0
     */
    record Told(Lane table, String column, ColumnKind kind, int position) implements Reach {}
  }

  /** The values of one answer, by column. */
  public interface Rows {
    /** How many rows there are. */
    int size();

    /** The value in a row, from 0, and column, from 0; null for SQL's null. */
    @Nullable Object value(int row, int column);
  }

  private FootprintPlan(List<Reach> reaches, List<Lane> always) {
    this.reaches = List.copyOf(reaches);
    this.always = List.copyOf(always);
    this.fixed = this.reaches.stream().allMatch(Reach.Whole.class::isInstance);
    this.tables = Footprint.of(this.reaches.stream().map(Reach::table).toList());
    this.whole = tables.and(always);
  }

  /** The plan of an answer that reaches so far. */
  public static FootprintPlan of(List<Reach> reaches) {
    return new FootprintPlan(reaches, List.of());
  }

  /** The same, and lanes that are no table's, on which every answer stands. */
  public FootprintPlan and(List<Lane> more) {
    List<Lane> all = new ArrayList<>(always);
    all.addAll(more);
    return new FootprintPlan(reaches, all);
  }

  /** Of an answer that was read from these tables as a whole. */
  public static FootprintPlan ofTables(Footprint tables) {
    return of(tables.lanes().stream().<Reach>map(Reach.Whole::new).toList());
  }

  /** How far the answer reaches, table by table. */
  public List<Reach> reaches() {
    return reaches;
  }

  /** The lanes of all tables that are reached into, each as a whole. */
  public Footprint tables() {
    return tables;
  }

  /**
   * The lanes that are known before the load.
   *
   * @param values of the question's parameters
   */
  public Footprint beforeLoad(@Nullable Object[] values) {
    if (fixed) {
      return whole;
    }
    List<Lane> lanes = new ArrayList<>(always);
    for (Reach reach : reaches) {
      if (reach instanceof Reach.Whole whole) {
        lanes.add(whole.table());
      } else if (reach instanceof Reach.Told told) {
        lanes.add(told.table().atLarge());
      } else if (reach instanceof Reach.Groups groups) {
        addGroups(groups, values, lanes);
      }
    }
    return Footprint.of(lanes);
  }

  /** Whether the answer tells further lanes. */
  public boolean needAnswer() {
    return reaches.stream().anyMatch(Reach.Told.class::isInstance);
  }

  /** The lanes that only the answer tells; to be added to those known before its load. */
  public List<Lane> afterLoad(Rows answer) {
    List<Lane> lanes = new ArrayList<>();
    for (Reach reach : reaches) {
      if (reach instanceof Reach.Told told) {
        addTold(told, answer, lanes);
      }
    }
    return lanes;
  }

  @Override
  public String toString() {
    return reaches.toString();
  }

  private static void addGroups(Reach.Groups reach, @Nullable Object[] values, List<Lane> lanes) {
    List<Lane> found = new ArrayList<>();
    found.add(reach.table().atLarge());
    for (Source source : reach.values()) {
      for (Object one : valuesOf(source, values)) {
        if (found.size() > MOST_GROUPS
            || !addGroup(reach.table(), reach.column(), reach.kind(), one, found)) {
          lanes.add(reach.table());
          return;
        }
      }
    }
    lanes.addAll(found);
  }

  /** The values that stand for a source: those of a bound list, else one. */
  static List<?> valuesOf(Source source, @Nullable Object[] values) {
    Object value =
        source instanceof Source.Parameter parameter
            ? values[parameter.index()]
            : ((Source.Constant) source).value();
    return value instanceof List<?> list ? list : Collections.singletonList(value);
  }

  private static void addTold(Reach.Told told, Rows answer, List<Lane> lanes) {
    if (answer.size() > MOST_GROUPS) {
      lanes.add(told.table());
      return;
    }
    List<Lane> found = new ArrayList<>();
    for (int row = 0; row < answer.size(); row++) {
      Object value = answer.value(row, told.position());
      if (!addGroup(told.table(), told.column(), told.kind(), value, found)) {
        lanes.add(told.table());
        return;
      }
    }
    lanes.addAll(found);
  }

  /** Returns whether the value is certain to name a group, or none. */
  private static boolean addGroup(
      Lane table, String column, ColumnKind kind, @Nullable Object value, List<Lane> found) {
    if (value == null) {
      return true; // null is equal to nothing, so no row matches
    }
    String group = kind.group(column, value);
    if (group == null) {
      return false;
    }
    found.add(table.group(group));
    return true;
  }
}
