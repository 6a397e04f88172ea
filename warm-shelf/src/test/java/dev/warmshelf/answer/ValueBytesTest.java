package dev.warmshelf.answer;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.ByteArrayOutputStream;
import java.io.DataOutputStream;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.nio.BufferUnderflowException;
import java.nio.ByteBuffer;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.OffsetTime;
import java.time.ZoneOffset;
import java.util.Arrays;
import java.util.Collections;
import java.util.List;
import java.util.Random;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Test;

class ValueBytesTest {
  private static final List<@Nullable Object> ALL =
      Collections.unmodifiableList(
          Arrays.asList(
              null,
              "",
              "Norra \uD83D\uDEA2 \u0000",
              true,
              false,
              Integer.MIN_VALUE,
              Long.MAX_VALUE,
              (short) -7,
              (byte) 3,
              Double.NaN,
              -0.0,
              Float.MIN_VALUE,
              new BigDecimal("1.00"),
              new BigDecimal("-123456789012345678901234567890.5"),
              new BigDecimal("1E+30"),
              new BigInteger("123456789012345678901234567890"),
              LocalDate.MAX,
              LocalDate.MIN,
              LocalTime.MAX,
              OffsetTime.of(LocalTime.NOON, ZoneOffset.ofHours(-3)),
              LocalDateTime.MAX,
              LocalDateTime.of(2026, 5, 1, 10, 0, 0, 1_000),
              OffsetDateTime.MAX,
              OffsetDateTime.of(LocalDateTime.MIN, ZoneOffset.MAX),
              new UUID(1, -1),
              List.of(),
              Collections.unmodifiableList(Arrays.asList(1, null, List.of("a", 2L)))));

  private static byte[] written(@Nullable Object value) throws Exception {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    ValueBytes.write(new DataOutputStream(bytes), value);
    return bytes.toByteArray();
  }

  @Test
  void eachValueIsExactlyWhatItWas() throws Exception {
    for (Object value : ALL) {
      ByteBuffer in = ByteBuffer.wrap(written(value));
      Object read = ValueBytes.read(in);
      assertThat(read).isEqualTo(value);
      assertThat(read == null ? null : read.getClass().getSimpleName())
          .isIn(
              value == null ? null : value.getClass().getSimpleName(),
              "UnmodifiableRandomAccessList");
      assertThat(in.hasRemaining()).isFalse();
    }
    byte[] bytes = {1, 0, -1};
    assertThat((byte[]) ValueBytes.read(ByteBuffer.wrap(written(bytes)))).isEqualTo(bytes);
  }

  @Test
  void whatIsNotWrittenIsSaid() {
    for (Object value : List.of(new Object(), java.time.Instant.EPOCH, List.of('c'))) {
      assertThatThrownBy(() -> written(value)).isInstanceOf(UnwritableValueException.class);
    }
  }

  /**
   * No bytes lead to anything but a value or one of two errors, nor to more memory than they are.
   */
  @Test
  void bytesThatAreNoValueAreAnError() throws Exception {
    Random random = new Random(3);
    for (int i = 0; i < 20_000; i++) {
      byte[] some = written(ALL.get(random.nextInt(ALL.size())));
      some[random.nextInt(some.length)] ^= (byte) (1 << random.nextInt(8));
      try {
        ValueBytes.read(ByteBuffer.wrap(some, 0, random.nextInt(some.length + 1)));
      } catch (IllegalArgumentException | BufferUnderflowException e) {
        assertThat(e).isNotNull();
      }
    }
    byte[] huge = {19, 127, -1, -1, -1};
    assertThatThrownBy(() -> ValueBytes.read(ByteBuffer.wrap(huge)))
        .isInstanceOf(IllegalArgumentException.class);
  }
}
