package dev.warmshelf.row;

import dev.warmshelf.key.Lanes;
import dev.warmshelf.store.Content;
import java.sql.Array;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.sql.Types;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.OffsetTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * The rows of one answer, as they are kept: values of immutable types only, in arrays that never
 * leave this package. One answer serves callers that map it to different types.
 *
 * <p>The last mapping to a type whose objects cannot be changed is remembered, so that a hit maps
 * nothing. The field is written without a lock: two threads may both map, and either result stands.
 */
public final class Answer implements Lanes.Rows, Content {
  private final List<String> columns;
  private final List<@Nullable Object[]> rows;
  private final boolean mayBeShared;
  private final boolean holdsBytes;

  /** Worked out when first asked for, by whoever asks: racing threads find the same. */
  private volatile long bytes;

  private volatile long fingerprint;
  private volatile @Nullable Mapped<?> lastMapped;

  private record Mapped<T>(Mapper<T> by, List<T> rows) {}

  private Answer(
      List<String> columns,
      List<@Nullable Object[]> rows,
      boolean mayBeShared,
      boolean holdsBytes) {
    this.columns = columns;
    this.rows = rows;
    this.mayBeShared = mayBeShared;
    this.holdsBytes = holdsBytes;
  }

  /**
   * Reads a result to its end.
   *
   * @param mayBeShared whether the session that gave it is like all others
   */
  public static Answer read(ResultSet result, boolean mayBeShared) throws SQLException {
    ResultSetMetaData meta = result.getMetaData();
    int width = meta.getColumnCount();
    List<String> columns = new ArrayList<>(width);
    ColumnReader[] readers = new ColumnReader[width];
    boolean holdsBytes = false;
    for (int i = 0; i < width; i++) {
      columns.add(meta.getColumnLabel(i + 1));
      readers[i] = readerFor(meta.getColumnType(i + 1), meta.getColumnTypeName(i + 1));
      holdsBytes |= isBytes(meta.getColumnType(i + 1));
    }
    List<@Nullable Object[]> rows = new ArrayList<>();
    while (result.next()) {
      @Nullable Object[] row = new @Nullable Object[width];
      for (int i = 0; i < width; i++) {
        row[i] = readers[i].read(result, i + 1);
      }
      rows.add(row);
    }
    return new Answer(List.copyOf(columns), rows, mayBeShared, holdsBytes);
  }

  /** The same rows, for nobody but who loaded them. */
  public Answer forOneCaller() {
    return new Answer(columns, rows, false, holdsBytes);
  }

  /** Column labels, as the database gave them. */
  List<String> columns() {
    return columns;
  }

  /** Whether others may be given this answer too. */
  public boolean mayBeShared() {
    return mayBeShared;
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
    return new Answer(mapper.columns(), rows, true, false); // a mapper makes no bytes
  }

  /** Whether the other answer has the same columns and rows, in whatever order. */
  public boolean hasSameRows(Answer other) {
    if (!columns.equals(other.columns) || rows.size() != other.rows.size()) {
      return false;
    }
    boolean inOrder = true;
    for (int i = 0; inOrder && i < rows.size(); i++) {
      inOrder = Arrays.deepEquals(rows.get(i), other.rows.get(i));
    }
    return inOrder || counted(rows).equals(counted(other.rows));
  }

  private static Map<List<?>, Integer> counted(List<@Nullable Object[]> rows) {
    Map<List<?>, Integer> counts = new HashMap<>();
    for (@Nullable Object[] row : rows) {
      List<@Nullable Object> content = new ArrayList<>(row.length);
      for (Object value : row) {
        content.add(value instanceof byte[] bytes ? Arrays.toString(bytes) : value);
      }
      counts.merge(content, 1, Integer::sum);
    }
    return counts;
  }

  /** The rows as {@code T}, in an unmodifiable list. */
  public <T> List<T> as(Mapper<T> mapper) {
    Mapped<?> last = lastMapped;
    if (last != null && last.by() == mapper) {
      @SuppressWarnings("unchecked") // made by this very mapper
      List<T> mapped = (List<T>) last.rows();
      return mapped;
    }
    Function<@Nullable Object[], T> map = mapper.on(columns);
    List<T> mapped = new ArrayList<>(rows.size());
    for (@Nullable Object[] row : rows) {
      mapped.add(map.apply(row));
    }
    List<T> shared = Collections.unmodifiableList(mapped);
    if (mapper.makesImmutable(holdsBytes)) {
      lastMapped = new Mapped<>(mapper, shared);
    }
    return shared;
  }

  /** Reads one column of the current row as a value that cannot be changed, or as bytes. */
  private interface ColumnReader {
    @Nullable Object read(ResultSet result, int column) throws SQLException;
  }

  private static boolean isBytes(int type) {
    return type == Types.BINARY || type == Types.VARBINARY || type == Types.LONGVARBINARY;
  }

  private static ColumnReader readerFor(int type, String typeName) {
    return switch (type) {
      case Types.DATE -> (result, i) -> result.getObject(i, LocalDate.class);
      case Types.TIME, Types.TIME_WITH_TIMEZONE ->
          typeName.equals("timetz")
              ? (result, i) -> result.getObject(i, OffsetTime.class)
              : (result, i) -> result.getObject(i, LocalTime.class);
      case Types.TIMESTAMP, Types.TIMESTAMP_WITH_TIMEZONE ->
          typeName.equals("timestamptz")
              ? (result, i) -> result.getObject(i, OffsetDateTime.class)
              : (result, i) -> result.getObject(i, LocalDateTime.class);
      case Types.ARRAY -> (result, i) -> list(result.getArray(i));
      case Types.BINARY, Types.VARBINARY, Types.LONGVARBINARY -> ResultSet::getBytes;
      default -> Answer::simple;
    };
  }

  private static @Nullable Object simple(ResultSet result, int column) throws SQLException {
    Object value = result.getObject(column);
    return value == null
            || value instanceof String
            || value instanceof Number
            || value instanceof Boolean
            || value instanceof UUID
        ? value
        : result.getString(column);
  }

  private static @Nullable List<?> list(@Nullable Array array) throws SQLException {
    if (array == null) {
      return null;
    }
    Object[] elements = (Object[]) array.getArray();
    List<@Nullable Object> copy = new ArrayList<>(elements.length);
    for (Object element : elements) {
      copy.add(
          element instanceof Object[] nested
              ? Collections.unmodifiableList(Arrays.asList(nested.clone()))
              : element);
    }
    return Collections.unmodifiableList(copy);
  }
}
