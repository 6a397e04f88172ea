package dev.warmshelf.plan;

import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * How an answer's {@link Interest} follows from its question and from the answer itself.
 *
 * <p>Immutable. Made once per statement.
 *
 * @param columns by table, those that the statement reads anywhere
 * @param places at which it reads tables; each of these tables has its columns
 */
public record InterestPlan(Map<Lane, Set<String>> columns, List<PlaceRead> places) {
  /** Keeps copies. */
  public InterestPlan {
    columns = Map.copyOf(columns);
    places = List.copyOf(places);
  }

  /**
   * A place at which a table is read.
   *
   * @param pins by column the values of which a row must have one to count, known from the question
   * @param told by column where in the answer the values stand of which a row must have one
   * @param shown which rows count as the answer stands; null if it does not tell
   */
  public record PlaceRead(
      Lane table, Map<String, Pinned> pins, Map<String, Told> told, @Nullable Shown shown) {
    /** A place of which the answer does not tell which rows count. */
    public PlaceRead(Lane table, Map<String, Pinned> pins, Map<String, Told> told) {
      this(table, pins, told, null);
    }
  }

  /**
   * A column of which each row that counts shows its value in the answer.
   *
   * @param where in the answer
   * @param deciding the columns that decide whether a row counts
   */
  public record Shown(String column, Told where, Set<String> deciding) {
    /** Keeps a copy. */
    public Shown {
      deciding = Set.copyOf(deciding);
    }
  }

  /** Values from the question. */
  public record Pinned(ColumnKind kind, List<Source> values) {}

  /**
   * Values from the answer.
   *
   * @param position of the answer's column, from 0
   */
  public record Told(ColumnKind kind, int position) {}

  /**
   * The interest of one answer.
   *
   * @param values of the question's parameters
   */
  public Interest of(@Nullable Object[] values, FootprintPlan.Rows answer) {
    Map<Lane, List<Interest.Place>> found = new HashMap<>();
    for (PlaceRead place : places) {
      Map<String, Set<String>> texts = new HashMap<>();
      place.told().forEach((column, told) -> put(texts, column, toldTexts(told, answer)));
      place.pins().forEach((column, pinned) -> put(texts, column, pinnedTexts(pinned, values)));
      found
          .computeIfAbsent(place.table(), t -> new ArrayList<>())
          .add(new Interest.Place(texts, members(place.shown(), answer)));
    }
    Map<Lane, Interest.Table> tables = new HashMap<>();
    found.forEach(
        (table, places) -> tables.put(table, new Interest.Table(columns.get(table), places)));
    return new Interest(tables);
  }

  private static Interest.@Nullable Members members(
      @Nullable Shown shown, FootprintPlan.Rows answer) {
    Set<String> texts = shown == null ? null : toldTexts(shown.where(), answer);
    return shown == null || texts == null
        ? null
        : new Interest.Members(shown.column(), texts, shown.deciding());
  }

  private static void put(Map<String, Set<String>> texts, String column, @Nullable Set<String> of) {
    if (of != null) {
      texts.put(column, of);
    }
  }

  /** Null where a value is not certain to be written alike by the database. */
  private static @Nullable Set<String> toldTexts(Told told, FootprintPlan.Rows answer) {
    Set<String> texts = new HashSet<>();
    for (int row = 0; row < answer.size(); row++) {
      if (!add(told.kind(), answer.value(row, told.position()), texts)) {
        return null;
      }
    }
    return texts;
  }

  static @Nullable Set<String> pinnedTexts(Pinned pinned, @Nullable Object[] values) {
    Set<String> texts = new HashSet<>();
    for (Source source : pinned.values()) {
      for (Object one : FootprintPlan.valuesOf(source, values)) {
        if (!add(pinned.kind(), one, texts)) {
          return null;
        }
      }
    }
    return texts;
  }

  private static boolean add(ColumnKind kind, @Nullable Object value, Set<String> texts) {
    if (value == null) {
      return true; // equal to nothing
    }
    String text = kind.text(value);
    if (text == null) {
      return false;
    }
    texts.add(text);
    return true;
  }
}
