package dev.warmshelf.answer;

import dev.warmshelf.shelf.MappingException;
import java.io.DataOutputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * The rows of one answer, as they are kept: values of immutable types only, in arrays that never
 * leave this package. One answer serves callers that map it to different types.
 *
 * <p>The last mapping is remembered, and what it made if that cannot be changed, so that a hit maps
 * nothing. The field is written without a lock: two threads may both map, and either result stands.
 */
public final class ValueAnswer implements Answer {
  private final List<String> columns;
  private final List<@Nullable Object[]> rows;
  private final boolean holdsBytes;

  /** Worked out when first asked for, by whoever asks: racing threads find the same. */
  private volatile long bytes;

  private volatile long fingerprint;
  private volatile @Nullable String digest;
  private volatile @Nullable Mapped<?> lastMapped;

  /**
   * @param map finds a row's columns without their names
   * @param rows null where each caller gets objects of its own
   */
  private record Mapped<T>(
      Mapper<T> by, Function<@Nullable Object[], T> map, @Nullable List<T> rows) {}

  private ValueAnswer(List<String> columns, List<@Nullable Object[]> rows, boolean holdsBytes) {
    this.columns = columns;
    this.rows = rows;
    this.holdsBytes = holdsBytes;
  }

  /**
   * Reads a result to its end.
   *
   * @throws SQLException if the database could not be asked
   */
  public static ValueAnswer read(ResultSet result) throws SQLException {
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
    return new ValueAnswer(List.copyOf(columns), rows, holdsBytes);
  }

  @Override
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
  public @Nullable String digest() {
    String known = digest;
    if (known == null) {
      known = Answer.super.digest();
      digest = known;
    }
    return known;
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
  public static <T> ValueAnswer of(List<T> objects, Mapper<T> mapper) {
    List<@Nullable Object[]> rows = new ArrayList<>(objects.size());
    for (T object : objects) {
      rows.add(mapper.row(object));
    }
    return new ValueAnswer(mapper.columns(), rows, false); // a mapper makes no bytes
  }

  @Override
  public void writeColumns(DataOutputStream out) throws IOException {
    out.writeInt(columns.size());
    for (String column : columns) {
      ValueBytes.writeText(out, column);
    }
  }

  @Override
  public void writeRows(DataOutputStream out) throws IOException {
    out.writeInt(rows.size());
    for (@Nullable Object[] row : rows) {
      for (Object value : row) {
        ValueBytes.write(out, value);
      }
    }
  }

  static ValueAnswer readWritten(ByteBuffer columns, ByteBuffer rows) {
    int width = ValueBytes.countIn(columns, Integer.BYTES);
    List<String> labels = new ArrayList<>(width);
    for (int i = 0; i < width; i++) {
      labels.add(ValueBytes.readText(columns));
    }
    int count = ValueBytes.countIn(rows, width);
    List<@Nullable Object[]> all = new ArrayList<>(width == 0 ? 0 : count);
    boolean holdsBytes = false;
    for (int i = 0; i < count; i++) {
      @Nullable Object[] row = new @Nullable Object[width];
      for (int j = 0; j < width; j++) {
        row[j] = ValueBytes.read(rows);
        holdsBytes |= Values.holdsBytes(row[j]);
      }
      all.add(row);
    }
    return new ValueAnswer(List.copyOf(labels), all, holdsBytes);
  }

  @Override
  public Answer withRowsOf(Answer alike, List<Integer> places) {
    ValueAnswer other = (ValueAnswer) alike;
    return new ValueAnswer(
        columns, Answer.mixed(rows, other.rows, places), holdsBytes || other.holdsBytes);
  }

  @Override
  public boolean hasSameRows(Answer alike) {
    ValueAnswer other = (ValueAnswer) alike;
    return columns.equals(other.columns) && Values.sameRows(rows, other.rows);
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
