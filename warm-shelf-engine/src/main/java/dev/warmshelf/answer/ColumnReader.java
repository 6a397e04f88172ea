package dev.warmshelf.answer;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.sql.Array;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Types;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.OffsetTime;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * Reads one column of the current row as a value that cannot be changed, or as bytes. An array is a
 * list of what its elements are on their own, arrays in it included.
 */
public interface ColumnReader {
  @Nullable Object read(ResultSet result, int column) throws SQLException;

  /**
   * @param type as {@link Types} has it
   * @param name as the database has it
   */
  static ColumnReader of(int type, String name) {
    return switch (type) {
      case Types.DATE -> (result, i) -> result.getObject(i, LocalDate.class);
      case Types.TIME, Types.TIME_WITH_TIMEZONE ->
          name.equals("timetz")
              ? (result, i) -> result.getObject(i, OffsetTime.class)
              : (result, i) -> result.getObject(i, LocalTime.class);
      case Types.TIMESTAMP, Types.TIMESTAMP_WITH_TIMEZONE ->
          name.equals("timestamptz")
              ? (result, i) -> result.getObject(i, OffsetDateTime.class)
              : (result, i) -> result.getObject(i, LocalDateTime.class);
      case Types.ARRAY -> (result, i) -> list(result.getArray(i));
      case Types.NUMERIC, Types.DECIMAL -> (result, i) -> compact(simple(result, i));
      case Types.BINARY, Types.VARBINARY, Types.LONGVARBINARY -> ResultSet::getBytes;
      default -> ColumnReader::simple;
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

  /**
   * The same decimal without an object for its digits, as the driver makes them, where they fit.
   */
  private static @Nullable Object compact(@Nullable Object value) {
    if (!(value instanceof BigDecimal decimal)) {
      return value;
    }
    BigInteger digits = decimal.unscaledValue();
    return digits.bitLength() < Long.SIZE
        ? BigDecimal.valueOf(digits.longValue(), decimal.scale())
        : decimal;
  }

  /** The driver shows an array as rows of an index and an element, which may be an array again. */
  private static @Nullable List<?> list(@Nullable Array array) throws SQLException {
    if (array == null) {
      return null;
    }
    List<@Nullable Object> list = new ArrayList<>();
    try (ResultSet elements = array.getResultSet()) {
      var meta = elements.getMetaData();
      ColumnReader reader = of(meta.getColumnType(2), meta.getColumnTypeName(2));
      while (elements.next()) {
        list.add(reader.read(elements, 2));
      }
    }
    return Collections.unmodifiableList(list);
  }
}
