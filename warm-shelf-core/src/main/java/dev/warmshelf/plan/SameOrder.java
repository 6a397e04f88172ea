package dev.warmshelf.plan;

import java.math.BigDecimal;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.OffsetDateTime;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * Compares values of the types that Java orders as the database does. Strings are not among them
 * (collations differ), nor floats (zeros), nor UUIDs (signs).
 */
final class SameOrder {
  private static final Set<Class<?>> ALIKE =
      Set.of(
          Short.class,
          Integer.class,
          Long.class,
          BigDecimal.class,
          Boolean.class,
          LocalDate.class,
          LocalDateTime.class);

  private SameOrder() {}

  /** Null if the database may order them otherwise. */
  static @Nullable Integer compare(Object one, Object other) {
    if (one instanceof OffsetDateTime moment && other instanceof OffsetDateTime another) {
      return moment.toInstant().compareTo(another.toInstant()); // wherever on Earth
    } else if (one.getClass() != other.getClass() || !ALIKE.contains(one.getClass())) {
      return null;
    }
    @SuppressWarnings("unchecked") // each of these classes compares its own
    Comparable<Object> comparable = (Comparable<Object>) one;
    return comparable.compareTo(other);
  }
}
