package dev.warmshelf.answer;

import dev.warmshelf.shelf.MappingException;
import java.lang.invoke.MethodHandle;
import java.lang.invoke.MethodHandles;
import java.lang.reflect.Constructor;
import java.lang.reflect.RecordComponent;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * Fills a record's components from the columns of the same names: letter case and underscores do
 * not matter, so {@code leaves_at} fills {@code leavesAt}. Columns that no component asks for are
 * left aside.
 */
final class RecordMapper<T> implements Mapper<T> {
  private final Class<T> type;
  private final RecordComponent[] components;
  private final MethodHandle constructor;
  private final boolean mayHoldBytes;

  RecordMapper(Class<T> type) {
    this.type = type;
    this.components = type.getRecordComponents();
    for (RecordComponent component : components) {
      Conversion.requireKnown(
          component.getType(), type.getSimpleName() + "." + component.getName());
    }
    this.mayHoldBytes =
        Arrays.stream(components).map(RecordComponent::getType).anyMatch(Conversion::mayHoldBytes);
    this.constructor = constructorOf(type, components);
  }

  @Override
  public Function<@Nullable Object[], T> on(List<String> columns) {
    int[] order = new int[components.length];
    for (int i = 0; i < order.length; i++) {
      order[i] = columnOf(components[i].getName(), columns);
    }
    return row -> map(row, order);
  }

  @SuppressWarnings("unchecked")
  private T map(@Nullable Object[] row, int[] order) {
    @Nullable Object[] arguments = new @Nullable Object[order.length];
    for (int i = 0; i < order.length; i++) {
      arguments[i] =
          Conversion.convert(row[order[i]], components[i].getType(), components[i].getName());
    }
    try {
      return (T) constructor.invoke(arguments);
    } catch (RuntimeException | Error e) {
      throw e;
    } catch (Throwable e) {
      throw new MappingException("The constructor of " + type.getName() + " failed: " + e, e);
    }
  }

  @Override
  public List<String> columns() {
    return Arrays.stream(components).map(RecordComponent::getName).toList();
  }

  @Override
  public @Nullable Object[] row(T object) {
    @Nullable Object[] row = new @Nullable Object[components.length];
    for (int i = 0; i < row.length; i++) {
      try {
        components[i].getAccessor().setAccessible(true);
        row[i] =
            Conversion.requireImmutable(
                components[i].getAccessor().invoke(object), components[i].getName());
      } catch (ReflectiveOperationException e) {
        throw new MappingException(
            "The component " + components[i] + " of " + type.getName() + " failed: " + e, e);
      }
    }
    return row;
  }

  @Override
  public boolean makesImmutable(boolean bytes) {
    return !(bytes && mayHoldBytes);
  }

  private int columnOf(String component, List<String> columns) {
    String wanted = plain(component);
    int found = -1;
    for (int i = 0; i < columns.size(); i++) {
      if (plain(columns.get(i)).equals(wanted)) {
        if (found >= 0) {
          throw new MappingException(
              "Two columns could fill "
                  + type.getSimpleName()
                  + "."
                  + component
                  + " in "
                  + columns
                  + ". Rename one of them with AS.");
        }
        found = i;
      }
    }
    if (found < 0) {
      throw new MappingException(
          "No column fills "
              + type.getSimpleName()
              + "."
              + component
              + "; the answer has "
              + columns
              + ". Name one so with AS, or rename the component.");
    }
    return found;
  }

  private static String plain(String name) {
    return name.replace("_", "").toLowerCase(Locale.ROOT);
  }

  private static MethodHandle constructorOf(Class<?> type, RecordComponent[] components) {
    try {
      Constructor<?> canonical =
          type.getDeclaredConstructor(
              Arrays.stream(components).map(RecordComponent::getType).toArray(Class<?>[]::new));
      canonical.setAccessible(true);
      return MethodHandles.lookup()
          .unreflectConstructor(canonical)
          .asSpreader(Object[].class, components.length)
          .asType(java.lang.invoke.MethodType.methodType(Object.class, Object[].class));
    } catch (ReflectiveOperationException | RuntimeException e) {
      throw new IllegalArgumentException(
          "The record "
              + type.getName()
              + " cannot be constructed from here. If it is in a module, open its package to"
              + " dev.warmshelf.jdbc.",
          e);
    }
  }
}
