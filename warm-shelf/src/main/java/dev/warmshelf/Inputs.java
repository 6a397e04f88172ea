package dev.warmshelf;

import dev.warmshelf.base.Components;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.key.ValuePlan;
import dev.warmshelf.key.ValuePlan.Width;
import java.time.OffsetDateTime;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.stream.IntStream;
import org.jspecify.annotations.Nullable;

/**
 * Keys of what is no query's: by inputs in their order. A database compares moments whatever their
 * zone; a function may not, so here a zone makes a difference.
 */
final class Inputs {
  private static final Inputs[] OF_FUNCTIONS = usual(Width.KEPT);
  private static final Inputs[] OF_NAMES = usual(Width.FOLDED);

  private final String[] places;
  private final ValuePlan plan;

  private static Inputs[] usual(Width width) {
    Inputs[] usual = new Inputs[9];
    Arrays.setAll(usual, count -> new Inputs(count, width));
    return usual;
  }

  private Inputs(int count, Width width) {
    this.places = new String[count];
    Arrays.setAll(places, i -> Integer.toString(i + 1));
    this.plan =
        ValuePlan.of(
            IntStream.range(0, count)
                .<ValuePlan.Item>mapToObj(
                    i -> new ValuePlan.Item.One(new ValuePlan.Source.Parameter(i), width))
                .toList());
  }

  /** Of a name of so many parts: a four-byte and an eight-byte 7 are the same. */
  static Key name(KeyShape form, @Nullable Object... parts) {
    Inputs known =
        parts.length < OF_NAMES.length
            ? OF_NAMES[parts.length]
            : new Inputs(parts.length, Width.FOLDED);
    return Key.of(form, known.plan, known.places, parts);
  }

  /**
   * Of these inputs of a function, named by their places.
   *
   * @throws IllegalArgumentException if one is of a type whose equality is not known
   */
  static Key key(KeyShape form, @Nullable Object... inputs) {
    Inputs known =
        inputs.length < OF_FUNCTIONS.length
            ? OF_FUNCTIONS[inputs.length]
            : new Inputs(inputs.length, Width.KEPT);
    @Nullable Object[] plain = inputs;
    for (int i = 0; i < inputs.length; i++) {
      Object value = plain(inputs[i]);
      if (value != inputs[i] && plain == inputs) {
        plain = Arrays.copyOf(inputs, inputs.length, Object[].class);
      }
      plain[i] = value;
    }
    return Key.of(form, known.plan, known.places, plain);
  }

  /** As values of which a key's canonical bytes are known. */
  private static @Nullable Object plain(@Nullable Object input) {
    if (input instanceof String || input instanceof Number || input == null) {
      return input;
    } else if (input instanceof Record record) {
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
    Components.values(record).forEach(each -> all.add(plain(each)));
    return all;
  }
}
