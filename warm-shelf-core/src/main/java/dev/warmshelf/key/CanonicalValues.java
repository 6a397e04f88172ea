package dev.warmshelf.key;

import dev.warmshelf.key.ValuePlan.Width;
import java.lang.reflect.Array;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.ZonedDateTime;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * Parameter values as bytes: one byte for the kind, then a fixed width or a length and that many
 * bytes. Every encoded value says where it ends, so a sequence of them can be read in one way only:
 * {@code ("a", "bc")} is not {@code ("ab", "c")}, and null, the empty string and the string {@code
 * null} are three things.
 *
 * <p>What is folded, because the database cannot tell it apart: whole numbers of any width are one
 * kind where they are only compared ({@link ValuePlan.Width}); a moment is the same in any offset;
 * every NaN is one. What is not: the scale of a decimal (it can show in the answer), the sign of a
 * floating zero, the letter case of a string, a float against a double.
 *
 * <p>Two passes, first the size and then the bytes, so that a key costs one array and nothing else.
 */
final class CanonicalValues {
  private static final int COUNT = Integer.BYTES;

  private CanonicalValues() {}

  static byte[] lengthPrefix(int length) {
    byte[] prefix = new byte[COUNT];
    putInt(prefix, 0, length);
    return prefix;
  }

  /** How many bytes {@link #write} will write; names the parameter if it cannot. */
  static int sizeOf(String name, @Nullable Object value) {
    if (value == null) {
      return 1;
    } else if (value instanceof String text) {
      return 1 + COUNT + utf8Length(name, text);
    } else if (value instanceof Enum<?> constant) {
      return sizeOf(name, constant.name());
    } else if (value instanceof Boolean) {
      return 2;
    } else if (isWholeNumber(value) || value instanceof LocalDate || value instanceof Double) {
      return 1 + Long.BYTES;
    } else if (value instanceof LocalTime) {
      return 1 + Long.BYTES;
    } else if (value instanceof Float) {
      return 1 + Integer.BYTES;
    } else if (value instanceof LocalDateTime || value instanceof UUID) {
      return 1 + 2 * Long.BYTES;
    } else if (isMoment(value)) {
      return 1 + Long.BYTES + Integer.BYTES;
    } else if (value instanceof BigInteger whole) {
      return whole.bitLength() < Long.SIZE
          ? 1 + Long.BYTES
          : 1 + COUNT + whole.toByteArray().length;
    } else if (value instanceof BigDecimal decimal) {
      return 1 + 2 * COUNT + decimal.unscaledValue().toByteArray().length;
    } else if (value instanceof byte[] raw) {
      return 1 + COUNT + raw.length;
    } else if (value instanceof List<?> list) {
      int size = 1 + COUNT;
      for (Object element : list) {
        size += sizeOf(name, element);
      }
      return size;
    } else if (value.getClass().isArray()) {
      int size = 1 + COUNT;
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
  static int write(byte[] bytes, int start, @Nullable Object value, Width width) {
    int at = start;
    if (value == null) {
      bytes[at++] = '0';
    } else if (value instanceof String text) {
      bytes[at] = 's';
      int end = writeUtf8(bytes, at + 1 + COUNT, text);
      putInt(bytes, at + 1, end - at - 1 - COUNT);
      at = end;
    } else if (value instanceof Enum<?> constant) {
      at = write(bytes, at, constant.name(), width);
    } else if (value instanceof Boolean flag) {
      bytes[at++] = '?';
      bytes[at++] = (byte) (flag ? 1 : 0);
    } else if (isWholeNumber(value)) {
      at = writeLong(bytes, at, kindOfWhole(value, width), ((Number) value).longValue());
    } else if (value instanceof LocalDate day) {
      at = writeLong(bytes, at, 'D', day.toEpochDay());
    } else if (value instanceof LocalTime time) {
      at = writeLong(bytes, at, 'T', time.toNanoOfDay());
    } else if (value instanceof Double number) {
      at = writeLong(bytes, at, 'f', Double.doubleToLongBits(number));
    } else if (value instanceof Float number) {
      bytes[at] = 'e';
      at = putInt(bytes, at + 1, Float.floatToIntBits(number));
    } else if (value instanceof LocalDateTime local) {
      at = writeLong(bytes, at, 'L', local.toLocalDate().toEpochDay());
      at = putLong(bytes, at, local.toLocalTime().toNanoOfDay());
    } else if (value instanceof UUID id) {
      at = writeLong(bytes, at, 'u', id.getMostSignificantBits());
      at = putLong(bytes, at, id.getLeastSignificantBits());
    } else if (value instanceof Instant instant) {
      at = writeMoment(bytes, at, instant.getEpochSecond(), instant.getNano());
    } else if (value instanceof OffsetDateTime moment) {
      at = writeMoment(bytes, at, moment.toEpochSecond(), moment.getNano());
    } else if (value instanceof ZonedDateTime moment) {
      at = writeMoment(bytes, at, moment.toEpochSecond(), moment.getNano());
    } else if (value instanceof BigInteger whole) {
      at =
          whole.bitLength() < Long.SIZE
              ? writeLong(bytes, at, kindOfWhole(value, width), whole.longValue())
              : writeBytes(bytes, at, 'I', whole.toByteArray());
    } else if (value instanceof BigDecimal decimal) {
      at = writeBytes(bytes, at, 'd', decimal.unscaledValue().toByteArray());
      at = putInt(bytes, at, decimal.scale());
    } else if (value instanceof byte[] raw) {
      at = writeBytes(bytes, at, 'b', raw);
    } else if (value instanceof List<?> list) {
      bytes[at] = 'a';
      at = putInt(bytes, at + 1, list.size());
      for (Object element : list) {
        at = write(bytes, at, element, width);
      }
    } else {
      int length = Array.getLength(value);
      bytes[at] = 'a';
      at = putInt(bytes, at + 1, length);
      for (int i = 0; i < length; i++) {
        at = write(bytes, at, Array.get(value, i), width);
      }
    }
    return at;
  }

  private static boolean isWholeNumber(Object value) {
    return value instanceof Integer
        || value instanceof Long
        || value instanceof Short
        || value instanceof Byte;
  }

  private static char kindOfWhole(Object value, Width width) {
    if (width == Width.FOLDED) {
      return 'i';
    } else if (value instanceof Long) {
      return '8';
    } else if (value instanceof BigInteger) {
      return '9';
    }
    return value instanceof Integer ? '4' : '2';
  }

  private static boolean isMoment(Object value) {
    return value instanceof Instant
        || value instanceof OffsetDateTime
        || value instanceof ZonedDateTime;
  }

  private static int writeMoment(byte[] bytes, int at, long seconds, int nanos) {
    return putInt(bytes, writeLong(bytes, at, 'm', seconds), nanos);
  }

  private static int writeBytes(byte[] bytes, int at, char kind, byte[] content) {
    bytes[at] = (byte) kind;
    int from = putInt(bytes, at + 1, content.length);
    System.arraycopy(content, 0, bytes, from, content.length);
    return from + content.length;
  }

  private static int writeLong(byte[] bytes, int at, char kind, long value) {
    bytes[at] = (byte) kind;
    return putLong(bytes, at + 1, value);
  }

  private static int putLong(byte[] bytes, int at, long value) {
    return putInt(bytes, putInt(bytes, at, (int) (value >>> 32)), (int) value);
  }

  private static int putInt(byte[] bytes, int at, int value) {
    bytes[at] = (byte) (value >>> 24);
    bytes[at + 1] = (byte) (value >>> 16);
    bytes[at + 2] = (byte) (value >>> 8);
    bytes[at + 3] = (byte) value;
    return at + Integer.BYTES;
  }

  /** RFC 3629, section 3. Unpaired surrogates have no encoding there, so they are refused. */
  private static int utf8Length(String name, String text) {
    int length = text.length();
    int size = length;
    for (int i = 0; i < length; i++) {
      char c = text.charAt(i);
      if (c >= 0x80) {
        if (c < 0x800) {
          size++;
        } else if (Character.isSurrogate(c)) {
          if (!Character.isHighSurrogate(c)
              || i + 1 == length
              || !Character.isLowSurrogate(text.charAt(i + 1))) {
            throw new UnsupportedValueException(
                name, "holds half of a surrogate pair at index " + i + ", which is no character.");
          }
          size += 2;
          i++;
        } else {
          size += 2;
        }
      }
    }
    return size;
  }

  private static int writeUtf8(byte[] bytes, int start, String text) {
    int at = start;
    for (int i = 0; i < text.length(); i++) {
      char c = text.charAt(i);
      if (c < 0x80) {
        bytes[at++] = (byte) c;
      } else if (c < 0x800) {
        bytes[at++] = (byte) (0xc0 | (c >> 6));
        bytes[at++] = (byte) (0x80 | (c & 0x3f));
      } else if (Character.isSurrogate(c)) {
        int point = Character.toCodePoint(c, text.charAt(++i));
        bytes[at++] = (byte) (0xf0 | (point >> 18));
        bytes[at++] = (byte) (0x80 | ((point >> 12) & 0x3f));
        bytes[at++] = (byte) (0x80 | ((point >> 6) & 0x3f));
        bytes[at++] = (byte) (0x80 | (point & 0x3f));
      } else {
        bytes[at++] = (byte) (0xe0 | (c >> 12));
        bytes[at++] = (byte) (0x80 | ((c >> 6) & 0x3f));
        bytes[at++] = (byte) (0x80 | (c & 0x3f));
      }
    }
    return at;
  }
}
