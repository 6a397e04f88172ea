package dev.warmshelf.answer;

import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/** What rows are mapped to. */
public final class Mappers {
  private Mappers() {}

  /**
   * A mapper to maps from column label to value; arrays of bytes are copied. There is no way back.
   */
  public static Mapper<Map<String, @Nullable Object>> toMaps() {
    return new MapMapper();
  }

  /** A mapper to lists of values by position; arrays of bytes are copied. There is no way back. */
  public static Mapper<List<@Nullable Object>> toLists() {
    return new ListMapper();
  }

  /**
   * A mapper to a record, by the names of its components, or to a single column's value.
   *
   * @throws IllegalArgumentException if the type is neither, or has a component that cannot be read
   */
  public static <T> Mapper<T> to(Class<T> type) {
    return type.isRecord() ? new RecordMapper<>(type) : new ScalarMapper<>(type);
  }
}
