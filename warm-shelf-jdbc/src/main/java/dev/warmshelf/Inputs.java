package dev.warmshelf;

import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import java.lang.reflect.RecordComponent;
import java.time.OffsetDateTime;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import org.jspecify.annotations.Nullable;

/**
 * Keys of what is no query's: by inputs in their order. A database compares moments whatever their
 * zone; a function may not, so here a zone makes a difference.
 */
final class Inputs {
  private Inputs() {}

  /**
   * Of these inputs, named by their places.
   *
   * @throws dev.warmshelf.key.UnsupportedValueException if one is of a type whose equality is not
   *     known
   */
  static Key key(KeyShape form, @Nullable Object... inputs) {
    String[] places = new String[inputs.length];
    @Nullable Object[] plain = new @Nullable Object[inputs.length];
    for (int i = 0; i < places.length; i++) {
      places[i] = Integer.toString(i + 1);
      plain[i] = plain(inputs[i]);
    }
    return Key.of(form, places, plain);
  }

  /** As values of which a key's canonical bytes are known. */
  private static @Nullable Object plain(@Nullable Object input) {
    if (input instanceof Record record) {
      return components(record);
    } else if (input instanceof List<?> list) {
      return list.stream().map(Inputs::plain).collect(ArrayList::new, List::add, List::addAll);
    } else if (input instanceof Optional<?> maybe) {
      return maybe.isEmpty() ? List.of() : Arrays.asList(plain(maybe.get()));
    } else if (input instanceof ZonedDateTime moment) {
      return List.of(
          moment.toLocalDateTime(), moment.getZone().getId(), moment.getOffset().getId());
    } else if (input instanceof OffsetDateTime moment) {
      return List.of(moment.toLocalDateTime(), moment.getOffset().getId());
    }
    return input;
  }

  private static List<@Nullable Object> components(Record record) {
    List<@Nullable Object> all = new ArrayList<>();
    all.add(record.getClass().getName());
    for (RecordComponent component : record.getClass().getRecordComponents()) {
      try {
        component.getAccessor().trySetAccessible();
        all.add(plain(component.getAccessor().invoke(record)));
      } catch (ReflectiveOperationException e) {
        throw new IllegalArgumentException(
            "The component '" + component.getName() + "' of " + record + " cannot be read.", e);
      }
    }
    return all;
  }
}
