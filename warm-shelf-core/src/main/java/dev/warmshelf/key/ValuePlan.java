package dev.warmshelf.key;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * How the values of a statement become the second half of its key: which value stands at each place
 * of the normal form, and which places may swap.
 *
 * <p>Immutable. Made once per statement.
 */
public final class ValuePlan {
  private final List<Item> items;
  private final boolean onlyValues;

  /** Where a value comes from. */
  public sealed interface Source {
    /**
     * From a parameter.
     *
     * @param index of the parameter's value among those of the question
     */
    record Parameter(int index) implements Source {}

    /** From the text itself. */
    record Constant(@Nullable Object value) implements Source {}
  }

  /** One or more places of the normal form. */
  public sealed interface Item {
    /**
     * One value.
     *
     * @param width whether it matters how wide a whole number is
     */
    record One(Source source, Width width) implements Item {}

    /**
     * Values of which neither order nor repetition matters, such as an {@code IN} list. A single
     * one that is a list stands for its elements.
     */
    record AnyOrder(List<Source> sources) implements Item {}

    /**
     * The elements of one value, of which neither order nor repetition matters, as in {@code = ANY
     * (...)}. A value that is no list is an array in a notation of the database's.
     */
    record Elements(Source source) implements Item {}

    /**
     * Groups of places, alike in form, that may swap: operands of one {@code AND} or {@code OR}.
     */
    record Swappable(List<List<Item>> groups) implements Item {}
  }

  /** Whether a four-byte and an eight-byte 7 are the same. */
  public enum Width {
    /** They are: only compared with something. */
    FOLDED,
    /** They are not: the type of the value can show in the answer. */
    KEPT
  }

  private ValuePlan(List<Item> items) {
    this.items = List.copyOf(items);
    this.onlyValues = this.items.stream().allMatch(Item.One.class::isInstance);
  }

  /** The plan of a statement whose values stand in these items, in this order. */
  public static ValuePlan of(List<Item> items) {
    return new ValuePlan(items);
  }

  /** A plan that takes each parameter once, in order, as values to compare with. */
  public static ValuePlan inOrder(int parameters) {
    return of(
        java.util.stream.IntStream.range(0, parameters)
            .<Item>mapToObj(i -> new Item.One(new Source.Parameter(i), Width.FOLDED))
            .toList());
  }

  /** What the plan goes through, in order. */
  public List<Item> items() {
    return items;
  }

  /**
   * A place of the normal form.
   *
   * @param sources the values that stand there, one or a set
   * @param elements whether it is the elements of a single value that do
   */
  public record Place(List<Source> sources, boolean elements) {}

  /** The places of the normal form, in order. */
  public List<Place> places() {
    List<Place> places = new ArrayList<>();
    addPlaces(items, places);
    return places;
  }

  private static void addPlaces(List<Item> items, List<Place> places) {
    for (Item item : items) {
      if (item instanceof Item.One one) {
        places.add(new Place(List.of(one.source()), false));
      } else if (item instanceof Item.AnyOrder set) {
        places.add(new Place(set.sources(), false));
      } else if (item instanceof Item.Elements elements) {
        places.add(new Place(List.of(elements.source()), true));
      } else if (item instanceof Item.Swappable swappable) {
        swappable.groups().forEach(group -> addPlaces(group, places));
      }
    }
  }

  byte[] encode(String[] names, @Nullable Object[] values) {
    return onlyValues ? encodeInOnePass(names, values) : encode(items, names, values);
  }

  /** The common case, at the cost of one array. */
  private byte[] encodeInOnePass(String[] names, @Nullable Object[] values) {
    int size = 0;
    for (int i = 0; i < items.size(); i++) {
      Source source = ((Item.One) items.get(i)).source();
      size += CanonicalValues.sizeOf(nameOf(source, names), valueOf(source, values));
    }
    byte[] bytes = new byte[size];
    int at = 0;
    for (int i = 0; i < items.size(); i++) {
      Item.One one = (Item.One) items.get(i);
      at = CanonicalValues.write(bytes, at, valueOf(one.source(), values), one.width());
    }
    return bytes;
  }

  private static byte[] encode(List<Item> items, String[] names, @Nullable Object[] values) {
    byte[][] parts = new byte[items.size()][];
    for (int i = 0; i < parts.length; i++) {
      parts[i] = encode(items.get(i), names, values);
    }
    return join(parts);
  }

  private static byte[] encode(Item item, String[] names, @Nullable Object[] values) {
    if (item instanceof Item.One one) {
      return encode(one.source(), one.width(), names, values);
    } else if (item instanceof Item.AnyOrder set) {
      List<Source> sources = set.sources();
      boolean alone = sources.size() == 1 && valueOf(sources.get(0), values) instanceof List<?>;
      return encodeSet(alone ? elementsOf(sources.get(0), values) : sources, names, values);
    } else if (item instanceof Item.Elements elements) {
      Source source = elements.source();
      Object value = valueOf(source, values);
      return value == null || value instanceof List<?>
          ? encodeSet(elementsOf(source, values), names, values)
          : join(new byte[] {'A'}, encode(source, Width.KEPT, names, values));
    }
    List<List<Item>> groups = ((Item.Swappable) item).groups();
    byte[][] encoded = new byte[groups.size()][];
    for (int i = 0; i < encoded.length; i++) {
      encoded[i] = encode(groups.get(i), names, values);
    }
    Arrays.sort(encoded, Arrays::compare);
    return join(header('W', encoded.length), join(encoded));
  }

  private static byte[] encodeSet(List<Source> sources, String[] names, @Nullable Object[] values) {
    byte[][] members = new byte[sources.size()][];
    for (int i = 0; i < members.length; i++) {
      members[i] = encode(sources.get(i), Width.FOLDED, names, values);
    }
    Arrays.sort(members, Arrays::compare);
    byte[][] distinct = distinct(members);
    return join(header('S', distinct.length), join(distinct));
  }

  /** The elements of a list as values of their own; null is one that is equal to nothing. */
  private static List<Source> elementsOf(Source source, @Nullable Object[] values) {
    List<Source> elements = new ArrayList<>();
    if (valueOf(source, values) instanceof List<?> list) {
      list.forEach(element -> elements.add(new Source.Constant(element)));
    } else {
      elements.add(new Source.Constant(null));
    }
    return elements;
  }

  private static byte[] encode(
      Source source, Width width, String[] names, @Nullable Object[] values) {
    Object value = valueOf(source, values);
    byte[] bytes = new byte[CanonicalValues.sizeOf(nameOf(source, names), value)];
    CanonicalValues.write(bytes, 0, value, width);
    return bytes;
  }

  private static @Nullable Object valueOf(Source source, @Nullable Object[] values) {
    return source instanceof Source.Parameter parameter
        ? values[parameter.index()]
        : ((Source.Constant) source).value();
  }

  private static String nameOf(Source source, String[] names) {
    return source instanceof Source.Parameter parameter ? names[parameter.index()] : "constant";
  }

  private static byte[] header(char kind, int count) {
    byte[] prefix = CanonicalValues.lengthPrefix(count);
    return new byte[] {(byte) kind, prefix[0], prefix[1], prefix[2], prefix[3]};
  }

  /** Of sorted members, each once. */
  private static byte[][] distinct(byte[][] sorted) {
    int kept = 0;
    for (byte[] member : sorted) {
      if (kept == 0 || !Arrays.equals(sorted[kept - 1], member)) {
        sorted[kept++] = member;
      }
    }
    return Arrays.copyOf(sorted, kept);
  }

  private static byte[] join(byte[]... parts) {
    int size = 0;
    for (byte[] part : parts) {
      size += part.length;
    }
    byte[] joined = new byte[size];
    int at = 0;
    for (byte[] part : parts) {
      System.arraycopy(part, 0, joined, at, part.length);
      at += part.length;
    }
    return joined;
  }
}
