package dev.warmshelf.plan;

import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.ChangedRow;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.InterestPlan.Pinned;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * How to find out whether changed rows can reach an answer, where the changes alone do not tell: a
 * booking names its sailing, and only the sailing's row tells whether that is on the route in
 * question. What tells is the <i>roster</i> of the route's sailings, if it is kept; else one look
 * into an index, a <i>probe</i>. Either spares the load.
 *
 * <p><b>The rule.</b> Take a place where a statement reads a table, and an equality in force there
 * with a column of another table, which must have values of its own to count. If no row of that
 * table has both those values and the changed row's, the answer is the same with the changed row
 * and without it. That holds as long as the other table does not change, so it is good only where
 * no change of that could make a difference either.
 *
 * <p>Immutable. Made once per statement.
 *
 * @param links by table, one for each place at which the statement reads it. A table is missing if
 *     one of its places has none
 */
public record ProbePlan(Map<Lane, List<Link>> links) {
  /** Keeps a copy. */
  public ProbePlan {
    links = Map.copyOf(links);
  }

  /**
   * An equality that ties a table's rows to another's.
   *
   * @param column a tracked one of the table's
   * @param to the other table
   * @param its the other table's column
   */
  public record Link(String column, ColumnKind kind, Target to, String its) {}

  /**
   * A table that changed rows are tied to.
   *
   * @param pins by column, the values of which a row must have one to count; empty only if there is
   *     a link
   * @param further what its rows are tied to in turn; null for nothing
   */
  public record Target(Lane table, Map<String, Pinned> pins, @Nullable Link further) {}

  /**
   * Rows of a table.
   *
   * @param conditions that they meet
   * @param further what else there is for each of them; null for nothing
   */
  public record Rows(Lane table, List<Condition> conditions, @Nullable Further further) {}

  /**
   * Rows of another table, one of which there must be.
   *
   * @param own the table's column, and
   * @param its the other's that must be equal to it
   */
  public record Further(String own, String its, Rows rows) {}

  /**
   * A condition that a column has one of some values.
   *
   * @param texts as {@link ColumnKind#group} writes them
   */
  public record Condition(String column, ColumnKind kind, Set<String> texts) {}

  /**
   * What changed rows are tied to.
   *
   * @param roster the rows that count
   * @param tied the values of the column by which changed rows are tied to them: if no row of the
   *     roster has one of these, no changed row can reach the answer
   */
  public record Tied(Rows roster, Condition tied) {
    /** Whether one of the roster's values is tied, or may be. */
    public boolean isIn(FootprintPlan.Rows values) {
      for (int row = 0; row < values.size(); row++) {
        Object value = values.value(row, 0);
        String text = value == null ? null : tied.kind().text(value);
        if (value != null && (text == null || tied.texts().contains(text))) {
          return true;
        }
      }
      return false;
    }
  }

  /**
   * What to find out: if no changed row is tied to one of the rosters, none can reach the answer.
   *
   * @param touching all changes that could make a difference to it, as far as is known
   * @param values of the question's parameters
   * @param most values that one condition may have
   * @return null if that does not tell
   */
  public @Nullable List<Tied> tied(
      Collection<Change> touching, @Nullable Object[] values, int most) {
    Map<Link, Set<String>> texts = new LinkedHashMap<>();
    Set<Lane> changed = new HashSet<>();
    for (Change change : touching) {
      List<Link> places = links.get(change.table());
      List<ChangedRow> rows = change.rows().orElse(null);
      if (places == null || rows == null) {
        return null;
      }
      changed.add(change.table());
      for (Link place : places) {
        if (!add(place, rows, texts.computeIfAbsent(place, p -> new HashSet<>()))) {
          return null;
        }
      }
    }
    List<Tied> all = new ArrayList<>();
    for (Map.Entry<Link, Set<String>> each : texts.entrySet()) {
      Tied tied = tied(each.getKey(), each.getValue(), changed, values);
      if (tied == null || each.getValue().size() > most) {
        return null;
      }
      all.add(tied);
    }
    return all;
  }

  /** What rows of any changes would be tied to, by an example. */
  public List<Tied> all(@Nullable Object[] values) {
    List<Tied> all = new ArrayList<>();
    for (List<Link> places : links.values()) {
      for (Link place : places) {
        Tied tied = tied(place, Set.of(place.kind().example()), Set.of(), values);
        if (tied != null) {
          all.add(tied);
        }
      }
    }
    return all;
  }

  private static @Nullable Tied tied(
      Link link, Set<String> texts, Set<Lane> changed, @Nullable Object[] values) {
    Rows roster = roster(link.to(), changed, values);
    return roster == null
        ? null
        : new Tied(roster, new Condition(link.its(), link.kind(), Set.copyOf(texts)));
  }

  /** False if a row does not tell its value for certain. */
  private static boolean add(Link link, List<ChangedRow> rows, Set<String> texts) {
    for (ChangedRow row : rows) {
      int index = row.columns().indexOf(link.column());
      if (index < 0) {
        return false;
      }
      String text = row.text(index);
      if (text != null && link.kind().value(text) == null) {
        return false;
      } else if (text != null) { // null is equal to nothing
        texts.add(text);
      }
    }
    return true;
  }

  private static @Nullable Rows roster(Target table, Set<Lane> changed, @Nullable Object[] values) {
    if (changed.contains(table.table())) {
      return null;
    }
    List<Condition> conditions = new ArrayList<>();
    table
        .pins()
        .forEach(
            (column, pinned) -> {
              Set<String> texts = InterestPlan.pinnedTexts(pinned, values);
              if (texts != null
                  && texts.stream().allMatch(text -> pinned.kind().value(text) != null)) {
                conditions.add(new Condition(column, pinned.kind(), texts));
              }
            });
    Link link = table.further();
    Rows next = link == null ? null : roster(link.to(), changed, values);
    if (conditions.isEmpty() && next == null) {
      return null;
    }
    return link == null || next == null
        ? new Rows(table.table(), conditions, null)
        : new Rows(table.table(), conditions, new Further(link.column(), link.its(), next));
  }
}
