package dev.warmshelf.journal;

import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.ChangedRow;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.postgres.analysis.ColumnKinds;
import dev.warmshelf.spi.feed.Clearing;
import java.sql.Array;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.TimeUnit;
import org.jspecify.annotations.Nullable;

/** A row of the journal as the change that it tells of. */
final class NotedRow {
  private NotedRow() {}

  /** How rows of the journal are to be read. */
  interface Shapes {
    /** What the trigger was made with that wrote of this table; null if that is not known. */
    @Nullable TriggerArguments find(Lane table, String print);
  }

  /**
   * Reads the columns xid, lane, kind, shape, rows_before, rows_after, alike, age.
   *
   * @param at where the first of them stands
   */
  static Change read(ResultSet row, int at, Lane lane, Shapes shapes) throws SQLException {
    String kind = row.getString(at + 2);
    String print = row.getString(at + 3);
    TriggerArguments made = print == null ? null : shapes.find(lane, print);
    return new Change(
        row.getString(at),
        lane,
        Optional.ofNullable(made == null ? null : rows(row, at + 4, kind, made.tracked())),
        Optional.ofNullable(
            made == null || !kind.equals("UPDATE") ? null : alike(row.getArray(at + 6), made)),
        kind,
        Duration.ofNanos(TimeUnit.MICROSECONDS.toNanos(Math.max(0, row.getLong(at + 7)))));
  }

  /** No name is longer; one that is cut off by the look may be any. */
  private static final int LONGEST_NAME = 500;

  /**
   * Reads the same columns of a clearing. One whose name is too long is one of everything.
   *
   * @throws IllegalArgumentException if that is none
   */
  static Clearing clearing(ResultSet row, int at) throws SQLException {
    String name = row.getString(at + 3);
    Array who = row.getArray(at + 4);
    String by = who == null ? "nobody knows" : String.join(" ", ((String[][]) who.getArray())[0]);
    return name != null && name.length() > LONGEST_NAME
        ? new Clearing(Clearing.What.ALL, "", by.strip())
        : Clearing.of(row.getString(at + 2), name == null ? "" : name, by.strip());
  }

  /** What they were before and are now; null unless all of that is told. */
  private static @Nullable List<ChangedRow> rows(
      ResultSet row, int at, String kind, Map<String, ColumnKind> tracked) throws SQLException {
    Array before = row.getArray(at);
    Array after = row.getArray(at + 1);
    boolean told =
        (before != null || kind.equals("INSERT")) && (after != null || kind.equals("DELETE"));
    if (!told || kind.equals("TRUNCATE") || tracked.isEmpty()) {
      return null;
    }
    List<ChangedRow> rows = new ArrayList<>();
    return add(before, tracked, rows) && add(after, tracked, rows) ? rows : null;
  }

  /** False if a column had another type than the trigger was made for. */
  private static boolean add(
      @Nullable Array versions, Map<String, ColumnKind> tracked, List<ChangedRow> rows)
      throws SQLException {
    if (versions == null) {
      return true;
    }
    List<String> columns = List.copyOf(tracked.keySet());
    List<ColumnKind> kinds = List.copyOf(tracked.values());
    for (String[] version : (String[][]) versions.getArray()) {
      @Nullable String[] texts = new @Nullable String[version.length];
      for (int i = 0; i < version.length; i++) {
        texts[i] = version[i] == null ? null : ColumnKinds.told(kinds.get(i), version[i]);
        if (texts[i] == null && version[i] != null) {
          return false;
        }
      }
      rows.add(new ChangedRow(columns, texts));
    }
    return true;
  }

  /** The columns that are what they were; none where that is not told. */
  private static Set<String> alike(@Nullable Array told, TriggerArguments made)
      throws SQLException {
    Set<String> unchanged = new HashSet<>();
    if (told != null) {
      Boolean[] alike = (Boolean[]) told.getArray();
      for (int i = 0; i < alike.length && i < made.compared().size(); i++) {
        if (Boolean.TRUE.equals(alike[i])) {
          unchanged.add(made.compared().get(i));
        }
      }
    }
    return unchanged;
  }
}
