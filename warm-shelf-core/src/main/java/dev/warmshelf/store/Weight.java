package dev.warmshelf.store;

import dev.warmshelf.base.Components;
import dev.warmshelf.key.ValueType;
import java.lang.reflect.Array;
import java.util.Collection;
import java.util.Map;
import java.util.Optional;
import org.jspecify.annotations.Nullable;

/** About how much memory a kept value takes. */
final class Weight {
  /** An object of which nothing is known. */
  private static final long UNKNOWN = 64;

  private static final int MOST_DEPTH = 8;
  private static final long ARRAY = 16;
  private static final long COLLECTION = 48;
  private static final long MAP_NODE = 40;
  private static final long REFERENCE = 4;

  private Weight() {}

  /**
   * What it says itself, if it is {@link Content}; else by its type, as far as that is of the Java
   * library: texts, numbers, times, arrays, collections, maps and records of these.
   */
  static long of(@Nullable Object value) {
    return of(value, MOST_DEPTH);
  }

  private static long of(@Nullable Object value, int depth) {
    if (value == null) {
      return 0;
    } else if (value instanceof Content content) {
      return content.bytes();
    } else if (value instanceof Boolean || value instanceof Enum<?> || depth == 0) {
      return 0;
    } else if (value instanceof Collection<?> all) {
      return COLLECTION + all.stream().mapToLong(each -> REFERENCE + of(each, depth - 1)).sum();
    } else if (value instanceof Map<?, ?> map) {
      return COLLECTION
          + map.entrySet().stream()
              .mapToLong(
                  each -> MAP_NODE + of(each.getKey(), depth - 1) + of(each.getValue(), depth - 1))
              .sum();
    } else if (value instanceof Optional<?> maybe) {
      return ARRAY + of(maybe.orElse(null), depth - 1);
    } else if (value.getClass().isArray()) {
      return ofArray(value, depth);
    } else if (value instanceof Record record) {
      return ofRecord(record, depth);
    }
    return ValueType.of(value.getClass()) == null ? UNKNOWN : ValueType.bytesOf(value);
  }

  /** Of each component, if they can be read. */
  private static long ofRecord(Record value, int depth) {
    try {
      long bytes = ARRAY;
      for (Object each : Components.values(value)) {
        bytes += REFERENCE + of(each, depth - 1);
      }
      return ValueType.rounded(bytes);
    } catch (IllegalArgumentException e) {
      return UNKNOWN;
    }
  }

  private static long ofArray(Object array, int depth) {
    if (array instanceof Object[] objects) {
      long bytes = ARRAY + REFERENCE * objects.length;
      for (Object each : objects) {
        bytes += of(each, depth - 1);
      }
      return ValueType.rounded(bytes);
    }
    long width =
        switch (array.getClass().getComponentType().getName()) {
          case "boolean", "byte" -> 1;
          case "short", "char" -> Short.BYTES;
          case "int", "float" -> Integer.BYTES;
          default -> Long.BYTES;
        };
    return ValueType.rounded(ARRAY + width * Array.getLength(array));
  }
}
