package dev.warmshelf.answer;

import java.io.ByteArrayOutputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.nio.BufferUnderflowException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.OffsetTime;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * Kept values as bytes, from which exactly the same values are made again: a byte for the type,
 * then the value. Whole numbers come with their highest byte first; texts and bytes have their
 * length before them.
 *
 * <p>What is read is checked: bytes that are no such values end in an {@link
 * IllegalArgumentException} or a {@link BufferUnderflowException}, and take no more memory than
 * there are bytes.
 */
public final class ValueBytes {
  private static final int NULL = 0;
  private static final int TEXT = 1;
  private static final int TRUE = 2;
  private static final int FALSE = 3;
  private static final int INT = 4;
  private static final int LONG = 5;
  private static final int SHORT = 6;
  private static final int BYTE = 7;
  private static final int DOUBLE = 8;
  private static final int FLOAT = 9;
  private static final int DECIMAL = 10;
  private static final int WHOLE = 11;
  private static final int DATE = 12;
  private static final int TIME = 13;
  private static final int OFFSET_TIME = 14;
  private static final int DATE_TIME = 15;
  private static final int OFFSET_DATE_TIME = 16;
  private static final int UUID_BITS = 17;
  private static final int BYTES = 18;
  private static final int LIST = 19;

  private ValueBytes() {}

  /**
   * Writes a value.
   *
   * @throws UnwritableValueException if it is of a type that is not written
   * @throws IOException as the stream says
   */
  public static void write(DataOutputStream out, @Nullable Object value) throws IOException {
    if (value == null) {
      out.writeByte(NULL);
    } else if (value instanceof String text) {
      tagged(out, TEXT, text.getBytes(StandardCharsets.UTF_8));
    } else if (value instanceof Boolean truth) {
      out.writeByte(truth ? TRUE : FALSE);
    } else if (value instanceof Number number) {
      writeNumber(out, number);
    } else if (value instanceof UUID id) {
      out.writeByte(UUID_BITS);
      out.writeLong(id.getMostSignificantBits());
      out.writeLong(id.getLeastSignificantBits());
    } else if (value instanceof byte[] bytes) {
      tagged(out, BYTES, bytes);
    } else if (value instanceof List<?> list) {
      out.writeByte(LIST);
      out.writeInt(list.size());
      for (Object each : list) {
        write(out, each);
      }
    } else {
      writeTime(out, value);
    }
  }

  private static void tagged(DataOutputStream out, int tag, byte[] bytes) throws IOException {
    out.writeByte(tag);
    out.writeInt(bytes.length);
    out.write(bytes);
  }

  private static void writeNumber(DataOutputStream out, Number number) throws IOException {
    if (number instanceof Integer whole) {
      out.writeByte(INT);
      out.writeInt(whole);
    } else if (number instanceof Long whole) {
      out.writeByte(LONG);
      out.writeLong(whole);
    } else if (number instanceof Short whole) {
      out.writeByte(SHORT);
      out.writeShort(whole);
    } else if (number instanceof Byte whole) {
      out.writeByte(BYTE);
      out.writeByte(whole);
    } else if (number instanceof Double fraction) {
      out.writeByte(DOUBLE);
      out.writeLong(Double.doubleToRawLongBits(fraction));
    } else if (number instanceof Float fraction) {
      out.writeByte(FLOAT);
      out.writeInt(Float.floatToRawIntBits(fraction));
    } else if (number.getClass() == BigDecimal.class) {
      BigDecimal decimal = (BigDecimal) number;
      tagged(out, DECIMAL, decimal.unscaledValue().toByteArray());
      out.writeInt(decimal.scale());
    } else if (number.getClass() == BigInteger.class) {
      tagged(out, WHOLE, ((BigInteger) number).toByteArray());
    } else {
      throw new UnwritableValueException(number);
    }
  }

  private static void writeTime(DataOutputStream out, Object value) throws IOException {
    if (value instanceof LocalDate day) {
      out.writeByte(DATE);
      out.writeLong(day.toEpochDay());
    } else if (value instanceof LocalTime time) {
      out.writeByte(TIME);
      out.writeLong(time.toNanoOfDay());
    } else if (value instanceof OffsetTime time) {
      out.writeByte(OFFSET_TIME);
      out.writeLong(time.toLocalTime().toNanoOfDay());
      out.writeInt(time.getOffset().getTotalSeconds());
    } else if (value instanceof LocalDateTime moment) {
      out.writeByte(DATE_TIME);
      writeLocal(out, moment);
    } else if (value instanceof OffsetDateTime moment) {
      out.writeByte(OFFSET_DATE_TIME);
      writeLocal(out, moment.toLocalDateTime());
      out.writeInt(moment.getOffset().getTotalSeconds());
    } else {
      throw new UnwritableValueException(value);
    }
  }

  private static void writeLocal(DataOutputStream out, LocalDateTime moment) throws IOException {
    out.writeLong(moment.toLocalDate().toEpochDay());
    out.writeLong(moment.toLocalTime().toNanoOfDay());
  }

  /**
   * Writes a text with its length before it.
   *
   * @throws IOException as the stream says
   */
  public static void writeText(DataOutputStream out, String text) throws IOException {
    writeBytes(out, text.getBytes(StandardCharsets.UTF_8));
  }

  /** Something that is written. */
  public interface Part {
    /**
     * Writes it.
     *
     * @throws IOException if it cannot be written to
     */
    void write(DataOutputStream out) throws IOException;
  }

  /**
   * What something writes, as bytes.
   *
   * @throws IOException what it throws
   */
  public static byte[] bytesOf(Part part) throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    part.write(new DataOutputStream(bytes));
    return bytes.toByteArray();
  }

  /**
   * Writes bytes, for {@link #readBytes}.
   *
   * @throws IOException if it cannot be written to
   */
  public static void writeBytes(DataOutputStream out, byte[] bytes) throws IOException {
    out.writeInt(bytes.length);
    out.write(bytes);
  }

  /** Reads what {@link #writeText} wrote. */
  public static String readText(ByteBuffer in) {
    return new String(readBytes(in), StandardCharsets.UTF_8);
  }

  /** Reads bytes with their length before them. */
  public static byte[] readBytes(ByteBuffer in) {
    byte[] bytes = new byte[countIn(in, 1)];
    in.get(bytes);
    return bytes;
  }

  /**
   * Reads a number of things that follow.
   *
   * @param least how many bytes each takes at least
   * @throws IllegalArgumentException if there are not so many bytes
   */
  public static int countIn(ByteBuffer in, int least) {
    int count = in.getInt();
    if (count < 0 || (long) count * least > in.remaining()) {
      throw new IllegalArgumentException(count + " things do not follow.");
    }
    return count;
  }

  /**
   * Reads what {@link #write} wrote.
   *
   * @throws IllegalArgumentException if it is no value
   * @throws BufferUnderflowException if it ends too early
   */
  public static @Nullable Object read(ByteBuffer in) {
    int tag = in.get();
    return switch (tag) {
      case NULL -> null;
      case TEXT -> readText(in);
      case TRUE -> true;
      case FALSE -> false;
      case INT -> in.getInt();
      case LONG -> in.getLong();
      case SHORT -> in.getShort();
      case BYTE -> in.get();
      case DOUBLE -> Double.longBitsToDouble(in.getLong());
      case FLOAT -> Float.intBitsToFloat(in.getInt());
      case DECIMAL -> decimal(new BigInteger(readBytes(in)), in.getInt());
      case WHOLE -> new BigInteger(readBytes(in));
      case UUID_BITS -> new UUID(in.getLong(), in.getLong());
      case BYTES -> readBytes(in);
      case LIST -> readList(in);
      default -> readTime(tag, in);
    };
  }

  /** Without an object for its digits where they fit, as answers have it. */
  private static BigDecimal decimal(BigInteger digits, int scale) {
    return digits.bitLength() < Long.SIZE
        ? BigDecimal.valueOf(digits.longValue(), scale)
        : new BigDecimal(digits, scale);
  }

  private static List<@Nullable Object> readList(ByteBuffer in) {
    int count = countIn(in, 1);
    List<@Nullable Object> list = new ArrayList<>(count);
    for (int i = 0; i < count; i++) {
      list.add(read(in));
    }
    return Collections.unmodifiableList(list);
  }

  private static Object readTime(int tag, ByteBuffer in) {
    try {
      return switch (tag) {
        case DATE -> LocalDate.ofEpochDay(in.getLong());
        case TIME -> LocalTime.ofNanoOfDay(in.getLong());
        case OFFSET_TIME -> OffsetTime.of(LocalTime.ofNanoOfDay(in.getLong()), offset(in));
        case DATE_TIME -> local(in);
        case OFFSET_DATE_TIME -> OffsetDateTime.of(local(in), offset(in));
        default -> throw new IllegalArgumentException("There is no type of value " + tag + ".");
      };
    } catch (java.time.DateTimeException e) {
      throw new IllegalArgumentException("This is no time.", e);
    }
  }

  private static LocalDateTime local(ByteBuffer in) {
    return LocalDateTime.of(
        LocalDate.ofEpochDay(in.getLong()), LocalTime.ofNanoOfDay(in.getLong()));
  }

  private static ZoneOffset offset(ByteBuffer in) {
    return ZoneOffset.ofTotalSeconds(in.getInt());
  }
}
