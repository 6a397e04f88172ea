package dev.warmshelf.postgres.analysis;

import dev.warmshelf.base.Sha256;
import dev.warmshelf.lane.ColumnKind;
import java.nio.charset.StandardCharsets;
import java.time.LocalDate;
import java.time.temporal.ChronoUnit;
import java.util.HexFormat;
import java.util.function.UnaryOperator;

/**
 * What the journal has in the place of a hidden value: the first half of SHA-256 (FIPS 180-4) over
 * the column's name and what the server writes of the value, in hex.
 *
 * <p>Two values with the same digest would be taken for one, which invalidates too much, never too
 * little. Whoever can guess a value can see whether it was right; the column's name stands in it so
 * that a value's digest in one column does not tell where else it is.
 *
 * @param column with its table and schema
 */
record ColumnDigest(String column, ColumnKind.Type type) implements UnaryOperator<String> {
  private static final int BYTES = 16;

  /** How a row of one day is sent: one value, of the type 1082, of four bytes. */
  static final String DAY_SENT = "000000010000043a00000004";

  /** From which the server counts (date.h). */
  static final LocalDate FIRST_DAY = LocalDate.of(2000, 1, 1);

  /** SQL for the same of an expression whose text another writes. */
  static String sql(String column, String text) {
    return "pg_catalog.encode(pg_catalog.substring(pg_catalog.sha256(pg_catalog.convert_to("
        + "pg_catalog.concat("
        + SqlText.literal(column + "=")
        + ", "
        + text
        + "), 'UTF8')), 1, "
        + BYTES
        + "), 'hex')";
  }

  /** Whether a text may be a digest. */
  static boolean isOne(String text) {
    return text.length() == 2 * BYTES;
  }

  @Override
  public String apply(String text) {
    byte[] hashed = (column + "=" + sent(text)).getBytes(StandardCharsets.UTF_8);
    return HexFormat.of().formatHex(Sha256.begin().digest(hashed), 0, BYTES);
  }

  /** What the server writes of the value. */
  private String sent(String text) {
    return switch (type) {
      case BOOLEAN -> text.equals("true") ? "t" : "f";
      case DATE ->
          DAY_SENT
              + HexFormat.of()
                  .toHexDigits((int) ChronoUnit.DAYS.between(FIRST_DAY, LocalDate.parse(text)));
      case INTEGER, TEXT, UUID, UNKNOWN -> text;
    };
  }
}
