package dev.warmshelf.key;

import dev.warmshelf.key.ValuePlan.Width;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.OffsetTime;
import java.time.ZonedDateTime;

/**
 * How the values of some types are written in keys: one byte for the kind, then a fixed width or a
 * length and that many bytes. Types that share an encoding are one kind to the database.
 */
enum Encoding {
  TEXT {
    @Override
    int size(String name, Object value) {
      return 1 + Bytes.COUNT + Utf8.length(name, (String) value);
    }

    @Override
    int write(byte[] to, int at, Object value, Width width) {
      to[at] = 's';
      int end = Utf8.write(to, at + 1 + Bytes.COUNT, (String) value);
      Bytes.putInt(to, at + 1, end - at - 1 - Bytes.COUNT);
      return end;
    }
  },
  BOOLEAN {
    @Override
    int size(String name, Object value) {
      return 2;
    }

    @Override
    int write(byte[] to, int at, Object value, Width width) {
      to[at] = '?';
      to[at + 1] = (byte) ((Boolean) value ? 1 : 0);
      return at + 2;
    }
  },
  WHOLE {
    @Override
    int size(String name, Object value) {
      return 1 + Long.BYTES;
    }

    @Override
    int write(byte[] to, int at, Object value, Width width) {
      return Bytes.putLong(to, at, kindOfWhole(value, width), ((Number) value).longValue());
    }
  },
  BIG_WHOLE {
    @Override
    int size(String name, Object value) {
      BigInteger whole = (BigInteger) value;
      return whole.bitLength() < Long.SIZE
          ? 1 + Long.BYTES
          : 1 + Bytes.COUNT + whole.toByteArray().length;
    }

    @Override
    int write(byte[] to, int at, Object value, Width width) {
      BigInteger whole = (BigInteger) value;
      return whole.bitLength() < Long.SIZE
          ? Bytes.putLong(to, at, kindOfWhole(value, width), whole.longValue())
          : Bytes.put(to, at, 'I', whole.toByteArray());
    }
  },
  DECIMAL {
    @Override
    int size(String name, Object value) {
      return 1 + 2 * Bytes.COUNT + ((BigDecimal) value).unscaledValue().toByteArray().length;
    }

    @Override
    int write(byte[] to, int at, Object value, Width width) {
      BigDecimal decimal = (BigDecimal) value;
      int end = Bytes.put(to, at, 'd', decimal.unscaledValue().toByteArray());
      return Bytes.putInt(to, end, decimal.scale());
    }
  },
  FLOAT {
    @Override
    int size(String name, Object value) {
      return 1 + Integer.BYTES;
    }

    @Override
    int write(byte[] to, int at, Object value, Width width) {
      to[at] = 'e';
      return Bytes.putInt(to, at + 1, Float.floatToIntBits((Float) value));
    }
  },
  DOUBLE {
    @Override
    int size(String name, Object value) {
      return 1 + Long.BYTES;
    }

    @Override
    int write(byte[] to, int at, Object value, Width width) {
      return Bytes.putLong(to, at, 'f', Double.doubleToLongBits((Double) value));
    }
  },
  DATE {
    @Override
    int size(String name, Object value) {
      return 1 + Long.BYTES;
    }

    @Override
    int write(byte[] to, int at, Object value, Width width) {
      return Bytes.putLong(to, at, 'D', ((LocalDate) value).toEpochDay());
    }
  },
  TIME {
    @Override
    int size(String name, Object value) {
      return 1 + Long.BYTES;
    }

    @Override
    int write(byte[] to, int at, Object value, Width width) {
      return Bytes.putLong(to, at, 'T', ((LocalTime) value).toNanoOfDay());
    }
  },
  OFFSET_TIME {
    @Override
    int size(String name, Object value) {
      return 1 + Long.BYTES + Integer.BYTES;
    }

    @Override
    int write(byte[] to, int at, Object value, Width width) {
      OffsetTime time = (OffsetTime) value; // the offset shows, and is compared
      int end = Bytes.putLong(to, at, 'z', time.toLocalTime().toNanoOfDay());
      return Bytes.putInt(to, end, time.getOffset().getTotalSeconds());
    }
  },
  DATE_TIME {
    @Override
    int size(String name, Object value) {
      return 1 + 2 * Long.BYTES;
    }

    @Override
    int write(byte[] to, int at, Object value, Width width) {
      LocalDateTime local = (LocalDateTime) value;
      int end = Bytes.putLong(to, at, 'L', local.toLocalDate().toEpochDay());
      return Bytes.putLong(to, end, local.toLocalTime().toNanoOfDay());
    }
  },
  MOMENT {
    @Override
    int size(String name, Object value) {
      return 1 + Long.BYTES + Integer.BYTES;
    }

    @Override
    int write(byte[] to, int at, Object value, Width width) {
      Instant moment = instant(value);
      int end = Bytes.putLong(to, at, 'm', moment.getEpochSecond());
      return Bytes.putInt(to, end, moment.getNano());
    }
  },
  UUID {
    @Override
    int size(String name, Object value) {
      return 1 + 2 * Long.BYTES;
    }

    @Override
    int write(byte[] to, int at, Object value, Width width) {
      java.util.UUID id = (java.util.UUID) value;
      int end = Bytes.putLong(to, at, 'u', id.getMostSignificantBits());
      return Bytes.putLong(to, end, id.getLeastSignificantBits());
    }
  },
  BYTES {
    @Override
    int size(String name, Object value) {
      return 1 + Bytes.COUNT + ((byte[]) value).length;
    }

    @Override
    int write(byte[] to, int at, Object value, Width width) {
      return Bytes.put(to, at, 'b', (byte[]) value);
    }
  };

  /** How many bytes {@link #write} will write; names the parameter if it cannot. */
  abstract int size(String name, Object value);

  /**
   * Writes a value.
   *
   * @return where it ends
   */
  abstract int write(byte[] to, int at, Object value, Width width);

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

  private static Instant instant(Object value) {
    if (value instanceof OffsetDateTime moment) {
      return moment.toInstant();
    }
    return value instanceof ZonedDateTime moment ? moment.toInstant() : (Instant) value;
  }
}
