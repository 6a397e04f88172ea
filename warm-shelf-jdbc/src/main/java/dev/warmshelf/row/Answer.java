package dev.warmshelf.row;

import dev.warmshelf.lane.FootprintPlan;
import dev.warmshelf.shelf.MappingException;
import dev.warmshelf.store.Content;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * The rows of one answer, as they are kept: values of immutable types only, in arrays that never
 * leave this package. One answer serves callers that map it to different types.
 *
 * <p>The last mapping is remembered, and what it made if that cannot be changed, so that a hit maps
 * nothing. The field is written without a lock: two threads may both map, and either result stands.
 */
public final class Answer implements FootprintPlan.Rows, Content {
  private final List<String> columns;
  private final List<@Nullable Object[]> rows;
  private final boolean holdsBytes;

  /** Worked out when first asked for, by whoever asks: racing threads find the same. */
  private volatile long bytes;

  private volatile long fingerprint;
  private volatile @Nullable Mapped<?> lastMapped;

  /**
   * @param map finds a row's columns without their names
   * @param rows null where each caller gets objects of its own
   */
  private record Mapped<T>(
      Mapper<T> by, Function<@Nullable Object[], T> map, @Nullable List<T> rows) {}

  private Answer(List<String> columns, List<@Nullable Object[]> rows, boolean holdsBytes) {
    this.columns = columns;
    this.rows = rows;
    this.holdsBytes = holdsBytes;
  }

  /**
   * Reads a result to its end.
   *
   * @throws SQLException if the database could not be asked
   */
  public static Answer read(ResultSet result) throws SQLException {
    ResultSetMetaData meta = result.getMetaData();
    int width = meta.getColumnCount();
    List<String> columns = new ArrayList<>(width);
    ColumnReader[] readers = new ColumnReader[width];
    boolean holdsBytes = false;
    for (int i = 0; i < width; i++) {
      columns.add(meta.getColumnLabel(i + 1));
      readers[i] = ColumnReader.of(meta.getColumnType(i + 1), meta.getColumnTypeName(i + 1));
    }
    ArrayList<@Nullable Object[]> rows = new ArrayList<>();
    while (result.next()) {
      @Nullable Object[] row = new @Nullable Object[width];
      for (int i = 0; i < width; i++) {
        row[i] = readers[i].read(result, i + 1);
        holdsBytes |= Values.holdsBytes(row[i]);
      }
      rows.add(row);
    }
    rows.trimToSize();
    return new Answer(List.copyOf(columns), rows, holdsBytes);
  }

  /** Column labels, as the database gave them. */
  public List<String> columns() {
    return columns;
  }

  @Override
  public int size() {
    return rows.size();
  }

  @Override
  public int rows() {
    return rows.size();
  }

  /** The rows as they are kept, and once more as they were mapped last. */
  @Override
  public long bytes() {
    if (bytes == 0) {
      bytes = Sizes.ofRows(columns, rows);
    }
    return bytes;
  }

  @Override
  public long fingerprint() {
    if (fingerprint == 0) {
      fingerprint = Fingerprint.ofRows(columns, rows);
    }
    return fingerprint;
  }

  @Override
  public @Nullable Object value(int row, int column) {
    return rows.get(row)[column];
  }

  /**
   * An answer made of a caller's own objects.
   *
   * @throws MappingException if they hold what could be changed later
   */
  public static <T> Answer of(List<T> objects, Mapper<T> mapper) {
    List<@Nullable Object[]> rows = new ArrayList<>(objects.size());
    for (T object : objects) {
      rows.add(mapper.row(object));
    }
    return new Answer(mapper.columns(), rows, false); // a mapper makes no bytes
  }

  /**
   * This answer with some rows of another one, which was asked for under other column names.
   *
   * @param places for each row its number here, or -1 less its number there
   */
  public Answer withRowsOf(Answer other, List<Integer> places) {
    List<@Nullable Object[]> mixed = new ArrayList<>(places.size());
    for (int place : places) {
      mixed.add(place >= 0 ? rows.get(place) : other.rows.get(-1 - place));
    }
    return new Answer(columns, mixed, holdsBytes || other.holdsBytes);
  }

  /** Whether the other answer has the same columns and rows, in whatever order. */
  public boolean hasSameRows(Answer other) {
    if (!columns.equals(other.columns) || rows.size() != other.rows.size()) {
      return false;
    }
    boolean inOrder = true;
    for (int i = 0; inOrder && i < rows.size(); i++) {
      inOrder = Values.comparable(rows.get(i)).equals(Values.comparable(other.rows.get(i)));
    }
    return inOrder || counted(rows).equals(counted(other.rows));
  }

  private static Map<Object, Integer> counted(List<@Nullable Object[]> rows) {
    Map<Object, Integer> counts = new HashMap<>();
    for (@Nullable Object[] row : rows) {
      counts.merge(Values.comparable(row), 1, Integer::sum);
    }
    return counts;
  }

  /** The rows as {@code T}, in an unmodifiable list. */
  public <T> List<T> as(Mapper<T> mapper) {
    Mapped<T> mapped = mappedBy(mapper);
    List<T> kept = mapped.rows();
    if (kept != null) {
      return kept;
    }
    List<T> made = new ArrayList<>(rows.size());
    for (@Nullable Object[] row : rows) {
      made.add(mapped.map().apply(row));
    }
    List<T> shared = Collections.unmodifiableList(made);
    lastMapped =
        new Mapped<>(mapper, mapped.map(), mapper.makesImmutable(holdsBytes) ? shared : null);
    return shared;
  }

  /** One of the rows as {@code T}; the others are not mapped. */
  public <T> T as(Mapper<T> mapper, int row) {
    Mapped<T> mapped = mappedBy(mapper);
    List<T> kept = mapped.rows();
    if (kept != null) {
      return kept.get(row);
    }
    lastMapped = mapped;
    return mapped.map().apply(rows.get(row));
  }

  private <T> Mapped<T> mappedBy(Mapper<T> mapper) {
    Mapped<?> last = lastMapped;
    if (last != null && last.by() == mapper) {
      @SuppressWarnings("unchecked") // made by this very mapper
      Mapped<T> known = (Mapped<T>) last;
      return known;
    }
    return new Mapped<>(mapper, mapper.on(columns), null);
  }
}
