package dev.warmshelf.key;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import java.util.UUID;

/** Reads what {@link ValuePlan} and {@link CanonicalValues} write, for a person. */
final class ShownValues {
  private static final int LONGEST = 200;

  private final ByteBuffer bytes;

  ShownValues(byte[] bytes) {
    this.bytes = ByteBuffer.wrap(bytes);
  }

  List<String> all() {
    List<String> all = new ArrayList<>();
    while (bytes.hasRemaining()) {
      if (bytes.get(bytes.position()) == 'W') { // how many groups: their values follow
        bytes.get();
        bytes.getInt();
      } else {
        all.add(next());
      }
    }
    return all;
  }

  private String next() {
    char kind = (char) bytes.get();
    return switch (kind) {
      case '0' -> "null";
      case 's' -> "'" + cut(new String(content(), StandardCharsets.UTF_8)) + "'";
      case 'b' -> "bytes " + cut(HexFormat.of().formatHex(content()));
      case '?' -> bytes.get() == 0 ? "false" : "true";
      case 'S' -> members('{', '}');
      case 'a' -> members('[', ']');
      case 'A' -> next();
      case 'u' -> new UUID(bytes.getLong(), bytes.getLong()).toString();
      case 'D', 'T', 'z', 'L', 'm' -> time(kind);
      default -> number(kind);
    };
  }

  private String number(char kind) {
    return switch (kind) {
      case 'i', '8', '9', '4', '2' -> Long.toString(bytes.getLong());
      case 'I' -> new BigInteger(content()).toString();
      case 'd' -> new BigDecimal(new BigInteger(content()), bytes.getInt()).toString();
      case 'e' -> Float.toString(Float.intBitsToFloat(bytes.getInt()));
      case 'f' -> Double.toString(Double.longBitsToDouble(bytes.getLong()));
      default -> throw new IllegalStateException("There is no kind of value '" + kind + "'.");
    };
  }

  private String time(char kind) {
    return switch (kind) {
      case 'D' -> LocalDate.ofEpochDay(bytes.getLong()).toString();
      case 'T' -> LocalTime.ofNanoOfDay(bytes.getLong()).toString();
      case 'z' ->
          LocalTime.ofNanoOfDay(bytes.getLong())
              .atOffset(ZoneOffset.ofTotalSeconds(bytes.getInt()))
              .toString();
      case 'L' ->
          LocalDateTime.of(
                  LocalDate.ofEpochDay(bytes.getLong()), LocalTime.ofNanoOfDay(bytes.getLong()))
              .toString();
      default -> Instant.ofEpochSecond(bytes.getLong(), bytes.getInt()).toString();
    };
  }

  private String members(char first, char last) {
    int count = bytes.getInt();
    List<String> members = new ArrayList<>();
    for (int i = 0; i < count; i++) {
      members.add(next());
    }
    return first + cut(String.join(", ", members)) + last;
  }

  private byte[] content() {
    byte[] content = new byte[bytes.getInt()];
    bytes.get(content);
    return content;
  }

  private static String cut(String text) {
    return text.length() <= LONGEST ? text : text.substring(0, LONGEST - 1) + "\u2026";
  }
}
