package dev.warmshelf.plan;

import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.ChangedRow;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * Which changes could make a difference to one answer. Lanes are the first look, made for speed;
 * this is the second, which knows the statement's columns and all that a row must be to count.
 *
 * <p>A change makes none if it left the columns alone that the statement reads, or if no version of
 * a row that it changed could count at any place where the statement reads the table. Nor does it
 * if its rows did not count before, as the answer tells, and it left the columns alone that decide
 * whether they do. As long as no change makes a difference the answer stays what it is, and so does
 * this. Once one has made a difference, the answer tells no more which rows count: of a row that
 * has come into it by one change, the next is no less a difference for leaving those columns alone.
 *
 * <p>Immutable.
 */
public final class Interest {
  private final Map<Lane, ? extends Part> tables;

  /** Whether the answer was true as a whole when the first of the changes came. */
  private final boolean ofOneMoment;

  /** What of one table's changes makes a difference. */
  public sealed interface Part {
    /**
     * @param asAnswered whether the answer is what it was just before the change
     */
    boolean isTouchedBy(Change change, boolean asAnswered);
  }

  /** What ticks one of these lanes. */
  private record Lanes(Set<Lane> lanes) implements Part {
    @Override
    public boolean isTouchedBy(Change change, boolean asAnswered) {
      return change.lanes().stream().anyMatch(lanes::contains);
    }
  }

  /**
   * What of one table makes a difference.
   *
   * @param columns that the statement reads of it; null if that is not known
   * @param places at which it reads it
   */
  public record Table(@Nullable Set<String> columns, List<Place> places) implements Part {
    @Override
    public boolean isTouchedBy(Change change, boolean asAnswered) {
      return mayChangeValues(change) && mayChangeRows(change, asAnswered);
    }

    private boolean mayChangeValues(Change change) {
      return columns == null
          || change.unchanged().isEmpty()
          || !change.unchanged().get().containsAll(columns);
    }

    private boolean mayChangeRows(Change change, boolean asAnswered) {
      if (change.rows().isEmpty()) {
        return true;
      }
      for (Place place : places) {
        boolean sameCount = asAnswered && place.members() != null && place.members().stay(change);
        for (ChangedRow row : change.rows().get()) {
          if (place.mayCount(row, sameCount)) {
            return true;
          }
        }
      }
      return false;
    }
  }

  /**
   * What a row must be like to count at one place.
   *
   * @param texts by column the values of which it must have one, as {@link ColumnKind#group} writes
   *     them
   * @param members which rows count as the answer stands; null if it does not tell
   */
  public record Place(Map<String, Set<String>> texts, @Nullable Members members) {
    /**
     * @param sameCount whether those rows count, and no others, that the answer shows
     */
    boolean mayCount(ChangedRow row, boolean sameCount) {
      List<String> tracked = row.columns();
      for (int i = 0; i < tracked.size(); i++) {
        String column = tracked.get(i);
        if (!isOneOf(texts.get(column), row.text(i))
            || (sameCount && members != null && members.exclude(column, row.text(i)))) {
          return false;
        }
      }
      return true;
    }

    private static boolean isOneOf(@Nullable Set<String> wanted, @Nullable String text) {
      return wanted == null || (text != null && wanted.contains(text)); // null is equal to nothing
    }
  }

  /**
   * Which rows count at one place, as the answer tells.
   *
   * @param texts of the column, of all rows that count
   * @param deciding the columns that decide whether a row counts
   */
  public record Members(String column, Set<String> texts, Set<String> deciding) {
    /** Whether the change left it as it was which of its rows count. */
    boolean stay(Change change) {
      return change.unchanged().isPresent() && change.unchanged().get().containsAll(deciding);
    }

    /** Whether a row does not count that has this in a column. */
    boolean exclude(String of, @Nullable String text) {
      return of.equals(column) && text != null && !texts.contains(text);
    }
  }

  /** One of an answer that was read from these tables, or depends so on these other lanes. */
  public Interest(Map<Lane, ? extends Part> tables) {
    this(tables, true);
  }

  private Interest(Map<Lane, ? extends Part> tables, boolean ofOneMoment) {
    this.tables = tables;
    this.ofOneMoment = ofOneMoment;
  }

  /**
   * The same of an answer of which some parts were read after the first of the changes: a row that
   * was moved out of one of these, to where it is not looked for, stands in none of what the answer
   * shows, and counts all the same.
   */
  public Interest ofSeveralMoments() {
    return new Interest(tables, false);
  }

  /** All that ticks one of an answer's lanes: where nothing more is known of its statement. */
  public static Interest inLanesOf(Footprint footprint) {
    Set<Lane> all = Set.copyOf(footprint.lanes());
    Map<Lane, Lanes> tables = new HashMap<>();
    for (Lane lane : footprint.lanes().subList(0, footprint.dataSize())) {
      tables.put(lane.table(), new Lanes(all));
    }
    return new Interest(tables);
  }

  /** The tables whose changes can make a difference. */
  public Set<Lane> tables() {
    return tables.keySet();
  }

  /**
   * Whether the change of one of the tables could make a difference, if none before it has made
   * one: then the rows count that the answer shows, and no others.
   */
  public boolean isTouchedBy(Change change) {
    return isTouchedBy(change, ofOneMoment);
  }

  /**
   * Whether the change could make a difference whatever those before it have made of the answer:
   * which rows count by then, the answer does not tell.
   */
  public boolean mayBeTouchedBy(Change change) {
    return isTouchedBy(change, false);
  }

  private boolean isTouchedBy(Change change, boolean asAnswered) {
    Part table = tables.get(change.table());
    return table != null && table.isTouchedBy(change, asAnswered);
  }

  /** Whether all lanes of the footprint that change with the data are of its tables. */
  public boolean covers(Footprint footprint) {
    for (int i = 0; i < footprint.dataSize(); i++) {
      if (!tables.containsKey(footprint.lanes().get(i).table())) {
        return false;
      }
    }
    return true;
  }
}
