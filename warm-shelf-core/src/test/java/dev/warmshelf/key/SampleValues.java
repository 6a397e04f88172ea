package dev.warmshelf.key;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.OffsetTime;
import java.time.ZonedDateTime;
import java.util.List;
import java.util.UUID;

/** Two unlike values of each type. */
final class SampleValues {
  private SampleValues() {}

  static List<Object> of(ValueType type) {
    return switch (type) {
      case TEXT -> List.of("", "Å\uD83D\uDEA2");
      case BOOLEAN -> List.of(true, false);
      case BYTE -> List.of((byte) 1, (byte) -1);
      case SHORT -> List.of((short) 300, (short) -300);
      case INTEGER -> List.of(70_000, -70_000);
      case LONG -> List.of(1L << 40, -(1L << 40));
      case BIG_INTEGER -> List.of(new BigInteger("123456789012345678901234567890"), BigInteger.TEN);
      case DECIMAL -> List.of(new BigDecimal("1.50"), new BigDecimal("-0.000000000000001"));
      case FLOAT -> List.of(1.5f, -0f);
      case DOUBLE -> List.of(1.5e300, Double.NaN);
      case DATE -> List.of(LocalDate.of(2026, 5, 1), LocalDate.of(-4000, 1, 1));
      case TIME -> List.of(LocalTime.of(9, 30), LocalTime.of(23, 59, 59, 999_000));
      case OFFSET_TIME -> List.of(OffsetTime.parse("09:30+02:00"), OffsetTime.parse("09:30-03:00"));
      case DATE_TIME ->
          List.of(LocalDateTime.parse("2026-05-01T09:30"), LocalDateTime.parse("1999-01-01T00:00"));
      case OFFSET_DATE_TIME ->
          List.of(
              OffsetDateTime.parse("2026-05-01T09:30Z"), OffsetDateTime.parse("2026-05-01T09:31Z"));
      case ZONED_DATE_TIME ->
          List.of(
              ZonedDateTime.parse("2026-05-01T09:30+02:00[Europe/Oslo]"),
              ZonedDateTime.parse("2026-06-01T09:30Z[UTC]"));
      case INSTANT -> List.of(Instant.parse("2026-05-01T09:30:00.5Z"), Instant.EPOCH);
      case UUID -> List.of(new UUID(1, 2), new UUID(2, 1));
      case BYTES -> List.of(new byte[] {1, 0, -1}, new byte[0]);
    };
  }
}
