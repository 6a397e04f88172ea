package dev.warmshelf.plan;

import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.ChangedRow;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * How an answer is mended: which of its parts changes have touched, and how these parts, asked for
 * anew, take their places in it.
 *
 * <p>Immutable. Made once per statement.
 *
 * @param divisions by which the statement's answers fall into parts
 * @param order by what its rows are ordered
 */
public record MendingPlan(List<Division> divisions, List<Sort> order) {
  /** Keeps copies. */
  public MendingPlan {
    divisions = List.copyOf(divisions);
    order = List.copyOf(order);
  }

  /**
   * A column of the answer by whose values it falls into parts, each of which is what it is
   * whatever the rows of these tables are that belong to others.
   *
   * @param position of the column, from 0
   * @param columns by table, the tracked columns whose values say to which parts a row belongs
   */
  public record Division(int position, ColumnKind kind, Map<Lane, Set<String>> columns) {
    /** Keeps a copy. */
    public Division {
      columns = Map.copyOf(columns);
    }

    /** The parts that changes touch, by the column's texts; null if that is not known. */
    @Nullable Set<String> touched(Collection<Change> changes) {
      Set<String> parts = new HashSet<>();
      for (Change change : changes) {
        Set<String> tell = columns.get(change.table());
        List<ChangedRow> rows = change.rows().orElse(null);
        if (tell == null || rows == null) {
          return null;
        }
        for (ChangedRow row : rows) {
          for (String column : tell) {
            int index = row.columns().indexOf(column);
            String text = index < 0 ? null : row.text(index);
            if (text == null || kind.value(text) == null) {
              return null;
            }
            parts.add(text);
          }
        }
      }
      return parts;
    }
  }

  /**
   * What rows are ordered by.
   *
   * @param position of the answer's column, from 0
   */
  public record Sort(int position, boolean descending, boolean nullsFirst) {}

  /**
   * What to ask for again.
   *
   * @param by what the answer is divided
   * @param parts the column's texts
   */
  public record Wanted(Division by, Set<String> parts) {}

  /**
   * What to ask for again after changes: by the division whose touched parts have the fewest rows.
   *
   * @param old the answer before them
   * @param touching all changes that could make a difference to what it has become
   * @param most parts that may be asked for
   * @return null if the answer cannot be mended, or more than half of it would be asked for
   */
  public @Nullable Wanted wanted(FootprintPlan.Rows old, Collection<Change> touching, int most) {
    Wanted best = null;
    int fewest = old.size() / 2 + 1;
    for (Division division : divisions) {
      Set<String> parts = division.touched(touching);
      if (parts != null && parts.size() <= most) {
        int rows = 0;
        for (int row = 0; row < old.size(); row++) {
          rows += parts.contains(textOf(old, row, division)) ? 1 : 0;
        }
        if (rows < fewest) {
          fewest = rows;
          best = new Wanted(division, parts);
        }
      }
    }
    return best;
  }

  /**
   * The rows of the mended answer: those of the old one in their order, with the asked ones in the
   * place of what these parts were. A row that is new or ordered otherwise than before finds its
   * place by comparing; so only where the database orders as Java does.
   *
   * @return for each row its number in the old answer, or -1 less its number among the asked ones;
   *     null if the places are not known
   */
  public @Nullable List<Integer> places(
      FootprintPlan.Rows old, FootprintPlan.Rows asked, Wanted wanted) {
    Map<String, List<Integer>> fresh = byPart(asked, wanted.by());
    Map<String, List<Integer>> was = byPart(old, wanted.by());
    if (fresh == null || was == null || !wanted.parts().containsAll(fresh.keySet())) {
      return null;
    }
    Set<String> settled = new HashSet<>();
    List<Integer> places = new ArrayList<>();
    for (int row = 0; row < old.size(); row++) {
      String part = textOf(old, row, wanted.by());
      if (!wanted.parts().contains(part)) {
        places.add(row);
      } else {
        List<Integer> now = fresh.getOrDefault(part, List.of());
        if (now.size() == 1 && sizeOf(was, part) == 1 && keepsPlace(old, row, asked, now.get(0))) {
          places.add(-1 - now.get(0));
          settled.add(part);
        }
      }
    }
    for (int row = 0; row < asked.size(); row++) {
      if (!settled.contains(textOf(asked, row, wanted.by())) && !insert(old, asked, row, places)) {
        return null;
      }
    }
    return places;
  }

  private static int sizeOf(Map<String, List<Integer>> parts, @Nullable String part) {
    return parts.getOrDefault(part, List.of()).size();
  }

  /** The rows by the part that they belong to; null if one does not tell. */
  private static @Nullable Map<String, List<Integer>> byPart(FootprintPlan.Rows rows, Division by) {
    Map<String, List<Integer>> parts = new HashMap<>();
    for (int row = 0; row < rows.size(); row++) {
      String text = textOf(rows, row, by);
      if (text == null) {
        return null;
      }
      parts.computeIfAbsent(text, t -> new ArrayList<>()).add(row);
    }
    return parts;
  }

  private static @Nullable String textOf(FootprintPlan.Rows rows, int row, Division by) {
    Object value = rows.value(row, by.position());
    return value == null ? null : by.kind().text(value);
  }

  private boolean keepsPlace(FootprintPlan.Rows old, int row, FootprintPlan.Rows asked, int now) {
    for (Sort sort : order) {
      Object before = old.value(row, sort.position());
      Object after = asked.value(now, sort.position());
      if (before == null ? after != null : !before.equals(after)) {
        return false;
      }
    }
    return true;
  }

  /** Puts a row before the first that must come after it; false if that is not known. */
  private boolean insert(
      FootprintPlan.Rows old, FootprintPlan.Rows asked, int row, List<Integer> places) {
    int from = 0;
    int to = places.size();
    while (from < to) {
      int middle = (from + to) >>> 1;
      int place = places.get(middle);
      Integer compared =
          place >= 0 ? compare(asked, row, old, place) : compare(asked, row, asked, -1 - place);
      if (compared == null) {
        return false;
      } else if (compared < 0) {
        to = middle;
      } else {
        from = middle + 1;
      }
    }
    places.add(from, -1 - row);
    return true;
  }

  /** Null if they cannot be compared. */
  private @Nullable Integer compare(
      FootprintPlan.Rows one, int row, FootprintPlan.Rows other, int otherRow) {
    for (Sort sort : order) {
      Object a = one.value(row, sort.position());
      Object b = other.value(otherRow, sort.position());
      int compared;
      if (a == null || b == null) {
        int nulls = (a == null ? 1 : 0) - (b == null ? 1 : 0);
        compared = sort.nullsFirst() ? -nulls : nulls;
      } else {
        Integer values = SameOrder.compare(a, b);
        if (values == null) {
          return null;
        }
        compared = sort.descending() ? -values : values;
      }
      if (compared != 0) {
        return compared;
      }
    }
    return 0;
  }
}
