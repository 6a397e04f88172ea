package dev.warmshelf.key;

import dev.warmshelf.key.ValuePlan.Width;
import java.lang.reflect.Array;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * Parameter values as bytes, by their {@link ValueType}. Every encoded value says where it ends, so
 * a sequence of them can be read in one way only: {@code ("a", "bc")} is not {@code ("ab", "c")},
 * and null, the empty string and the string {@code null} are three things.
 *
 * <p>What is folded, because the database cannot tell it apart: whole numbers of any width are one
 * kind where they are only compared ({@link ValuePlan.Width}); a moment is the same in any offset;
 * every NaN is one. What is not: the scale of a decimal (it can show in the answer), the sign of a
 * floating zero, the letter case of a string, a float against a double.
 *
 * <p>Two passes, first the size and then the bytes, so that a key costs one array and nothing else.
 */
final class CanonicalValues {
  private CanonicalValues() {}

  static byte[] lengthPrefix(int length) {
    byte[] prefix = new byte[Bytes.COUNT];
    Bytes.putInt(prefix, 0, length);
    return prefix;
  }

  /** How many bytes {@link #write} will write; names the parameter if it cannot. */
  static int sizeOf(String name, @Nullable Object value) {
    if (value == null) {
      return 1;
    }
    ValueType type = ValueType.of(value.getClass());
    if (type != null) {
      return type.encoding().size(name, value);
    } else if (value instanceof Enum<?> constant) {
      return Encoding.TEXT.size(name, constant.name());
    } else if (value instanceof List<?> list) {
      int size = 1 + Bytes.COUNT;
      for (Object element : list) {
        size += sizeOf(name, element);
      }
      return size;
    } else if (value.getClass().isArray()) {
      int size = 1 + Bytes.COUNT;
      for (int i = 0; i < Array.getLength(value); i++) {
        size += sizeOf(name, Array.get(value, i));
      }
      return size;
    }
    throw new UnsupportedValueException(
        name,
        "has a value of type "
            + value.getClass().getName()
            + "; expected a string, a number, a boolean, an enum constant, a java.time type, a UUID, bytes, or a list"
            + " or array of these. Convert it before binding.");
  }

  /**
   * Writes a value.
   *
   * @return where it ends
   */
  static int write(byte[] bytes, int at, @Nullable Object value, Width width) {
    if (value == null) {
      bytes[at] = '0';
      return at + 1;
    }
    ValueType type = ValueType.of(value.getClass());
    if (type != null) {
      return type.encoding().write(bytes, at, value, width);
    } else if (value instanceof Enum<?> constant) {
      return Encoding.TEXT.write(bytes, at, constant.name(), width);
    }
    return value instanceof List<?> list
        ? writeList(bytes, at, list, width)
        : writeArray(bytes, at, value, width);
  }

  private static int writeList(byte[] bytes, int start, List<?> list, Width width) {
    bytes[start] = 'a';
    int at = Bytes.putInt(bytes, start + 1, list.size());
    for (Object element : list) {
      at = write(bytes, at, element, width);
    }
    return at;
  }

  private static int writeArray(byte[] bytes, int start, Object array, Width width) {
    int length = Array.getLength(array);
    bytes[start] = 'a';
    int at = Bytes.putInt(bytes, start + 1, length);
    for (int i = 0; i < length; i++) {
      at = write(bytes, at, Array.get(array, i), width);
    }
    return at;
  }
}
