package dev.warmshelf.row;

import dev.warmshelf.shelf.MappingException;
import java.util.List;
import java.util.Map;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * Makes a caller's object from a kept row. Thread-safe.
 *
 * @param <T> what a row becomes
 */
public sealed interface Mapper<T> permits ListMapper, MapMapper, RecordMapper, ScalarMapper {
  /**
   * A mapper to maps from column label to value; arrays of bytes are copied. There is no way back.
   */
  static Mapper<Map<String, @Nullable Object>> toMaps() {
    return new MapMapper();
  }

  /** A mapper to lists of values by position; arrays of bytes are copied. There is no way back. */
  static Mapper<List<@Nullable Object>> toLists() {
    return new ListMapper();
  }

  /**
   * A mapper to a record, by the names of its components, or to a single column's value.
   *
   * @throws IllegalArgumentException if the type is neither, or has a component that cannot be read
   */
  static <T> Mapper<T> to(Class<T> type) {
    return type.isRecord() ? new RecordMapper<>(type) : new ScalarMapper<>(type);
  }

  /**
   * What maps rows of these columns.
   *
   * @throws MappingException if the columns do not fit the type; the function, if a value does not
   */
  Function<@Nullable Object[], T> on(List<String> columns);

  /** The columns of a row that {@link #row} makes. */
  List<String> columns();

  /**
   * The way back: a row from a caller's object.
   *
   * @throws MappingException if the object holds what could be changed later
   */
  @Nullable Object[] row(T object);

  /**
   * Whether the objects made can be shared between callers.
   *
   * @param bytes whether the rows hold arrays of bytes
   */
  boolean makesImmutable(boolean bytes);
}
