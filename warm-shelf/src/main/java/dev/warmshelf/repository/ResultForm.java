package dev.warmshelf.repository;

import java.lang.reflect.Array;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Collections;
import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.Future;
import java.util.stream.Stream;
import org.jspecify.annotations.Nullable;

/** How a method's result is kept, and given to each caller. */
enum ResultForm {
  /** The object itself, for all callers. */
  AS_IT_IS,
  /** A list, a set or a map that nobody can change. */
  COPIED {
    @Override
    @Nullable Object kept(@Nullable Object result) {
      if (result instanceof List<?> list) {
        return Collections.unmodifiableList(new ArrayList<>(list));
      } else if (result instanceof Set<?> set) {
        return Collections.unmodifiableSet(new LinkedHashSet<>(set));
      } else if (result instanceof Collection<?> all) {
        return Collections.unmodifiableList(new ArrayList<>(all));
      } else if (result instanceof Map<?, ?> map) {
        return Collections.unmodifiableMap(new LinkedHashMap<>(map));
      }
      return result;
    }
  },
  /** An array, for each caller anew. */
  ARRAY {
    @Override
    @Nullable Object given(@Nullable Object kept) {
      if (kept == null) {
        return null;
      }
      int length = Array.getLength(kept);
      Object copy = Array.newInstance(kept.getClass().getComponentType(), length);
      System.arraycopy(kept, 0, copy, 0, length);
      return copy;
    }
  },
  /** A stream, read whole, and begun anew for each caller. */
  STREAM {
    @Override
    @Nullable Object kept(@Nullable Object result) {
      if (result == null) {
        return null;
      }
      try (Stream<?> stream = (Stream<?>) result) {
        return stream.toList();
      }
    }

    @Override
    @Nullable Object given(@Nullable Object kept) {
      return kept == null ? null : ((List<?>) kept).stream();
    }
  };

  /** Of a method that returns this. */
  static ResultForm of(Class<?> type) {
    if (type.isArray()) {
      return ARRAY;
    } else if (type == Stream.class) {
      return STREAM;
    }
    return Collection.class.isAssignableFrom(type)
            || Map.class.isAssignableFrom(type)
            || type == Iterable.class
        ? COPIED
        : AS_IT_IS;
  }

  /** Why results of this type cannot be kept, in words; null if they can. */
  static @Nullable String whyUnfit(Class<?> type) {
    if (type == void.class || type == Void.class) {
      return "it returns nothing that could be kept";
    } else if (Iterator.class.isAssignableFrom(type)
        || Future.class.isAssignableFrom(type)
        || (AutoCloseable.class.isAssignableFrom(type) && type != Stream.class)) {
      return "it returns "
          + type.getName()
          + ", which can be used but once; return a list, or a stream of objects";
    } else if (of(type) == COPIED
        && !type.isAssignableFrom(List.class)
        && !type.isAssignableFrom(Set.class)
        && !type.isAssignableFrom(Map.class)) {
      return "it returns "
          + type.getName()
          + ", which callers might change; return a List, Set, Collection or Map";
    }
    return null;
  }

  @Nullable Object kept(@Nullable Object result) {
    return result;
  }

  @Nullable Object given(@Nullable Object kept) {
    return kept;
  }
}
