package dev.warmshelf.row;

import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * Makes a caller's object from a kept row. Thread-safe.
 *
 * @param <T> what a row becomes
 */
public sealed interface Mapper<T> permits RecordMapper, ScalarMapper {
  /**
   * A mapper to a record, by the names of its components, or to a single column's value.
   *
   * @throws IllegalArgumentException if the type is neither, or has a component that cannot be read
   */
  static <T> Mapper<T> to(Class<T> type) {
    return type.isRecord() ? new RecordMapper<>(type) : new ScalarMapper<>(type);
  }

  /**
   * Where in a row each argument of {@link #map} is found.
   *
   * @throws MappingException if the columns do not fit the type
   */
  int[] order(List<String> columns);

  /**
   * Maps one row.
   *
   * @throws MappingException if a value does not fit
   */
  T map(@Nullable Object[] row, int[] order);

  /** The columns of a row that {@link #row} makes. */
  List<String> columns();

  /**
   * The way back: a row from a caller's object.
   *
   * @throws MappingException if the object holds what could be changed later
   */
  @Nullable Object[] row(T object);

  /** Whether the objects made can be shared between callers. */
  boolean makesImmutable();
}
