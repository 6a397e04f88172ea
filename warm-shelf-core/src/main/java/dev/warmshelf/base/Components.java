package dev.warmshelf.base;

import java.lang.reflect.Method;
import java.lang.reflect.RecordComponent;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.jspecify.annotations.Nullable;

/** What records hold; how it is read is found out once for each type. */
public final class Components {
  private static final ClassValue<List<Method>> ACCESSORS =
      new ClassValue<>() {
        @Override
        protected List<Method> computeValue(Class<?> type) {
          List<Method> accessors =
              Arrays.stream(type.getRecordComponents()).map(RecordComponent::getAccessor).toList();
          accessors.forEach(Method::trySetAccessible);
          return accessors;
        }
      };

  private Components() {}

  /** The names, in their order. */
  public static List<String> names(Record record) {
    return ACCESSORS.get(record.getClass()).stream().map(Method::getName).toList();
  }

  /**
   * The values, in the same order.
   *
   * @throws IllegalArgumentException if they cannot be read: the record's package is not open
   */
  public static List<@Nullable Object> values(Record record) {
    List<@Nullable Object> values = new ArrayList<>();
    for (Method accessor : ACCESSORS.get(record.getClass())) {
      try {
        values.add(accessor.invoke(record));
      } catch (ReflectiveOperationException e) {
        throw new IllegalArgumentException(
            "The component '" + accessor.getName() + "' of " + record + " cannot be read.", e);
      }
    }
    return values;
  }
}
