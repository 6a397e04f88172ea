package dev.warmshelf.key;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Date;
import java.util.List;
import java.util.UUID;
import java.util.stream.IntStream;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.Example;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import org.jspecify.annotations.Nullable;

/** The laws of keys, over values chosen to be confused with each other. */
class KeyProperties {
  private static final KeyShape FORM = KeyShape.of("test", "select $1");

  @Property(tries = 20_000)
  void twoListsOfValuesShareAKeyOnlyIfTheyAreTheSame(
      @ForAll("values") List<@Nullable Object> one,
      @ForAll("values") List<@Nullable Object> other) {
    boolean same = meaning(one).equals(meaning(other));
    assertThat(key(one).equals(key(other))).isEqualTo(same);
  }

  @Property(tries = 5_000)
  void equalityHashAndDigestAgree(
      @ForAll("values") List<@Nullable Object> one,
      @ForAll("values") List<@Nullable Object> other) {
    boolean equal = key(one).equals(key(other));
    assertThat(key(one).digest().equals(key(other).digest())).isEqualTo(equal);
    if (equal) {
      assertThat(key(one)).hasSameHashCodeAs(key(other));
    }
    assertThat(key(one)).isEqualTo(key(new ArrayList<>(one)));
  }

  @Property(tries = 2_000)
  void momentsAreTheSameInAnyOffset(@ForAll long seconds, @ForAll("offsets") ZoneOffset offset) {
    Instant instant = Instant.ofEpochSecond(seconds % 100_000_000_000L, 5);
    assertThat(key(instant.atOffset(offset))).isEqualTo(key(instant));
    assertThat(key(instant.atZone(offset))).isEqualTo(key(instant));
  }

  @Example
  void wholeNumbersOfAnyWidthAreOneKind() {
    assertThat(key(7)).isEqualTo(key(7L));
    assertThat(key((short) 7)).isEqualTo(key((byte) 7));
    assertThat(key(BigInteger.valueOf(7))).isEqualTo(key(7));
    assertThat(key(BigInteger.TWO.pow(80))).isNotEqualTo(key(BigInteger.TWO.pow(81)));
  }

  @Example
  void whatCanShowInTheAnswerIsKeptApart() {
    assertThat(key(new BigDecimal("1.0"))).isNotEqualTo(key(new BigDecimal("1.00")));
    assertThat(key(0.0)).isNotEqualTo(key(-0.0));
    assertThat(key(1.5f)).isNotEqualTo(key(1.5));
    assertThat(key("7")).isNotEqualTo(key(7));
    assertThat(key(Double.longBitsToDouble(0x7ff8000000000001L))).isEqualTo(key(Double.NaN));
  }

  @Example
  void formAndNamespaceArePartOfTheKey() {
    String[] none = {};
    Key plain = Key.of(KeyShape.of("a", "bc"), none, none);
    assertThat(plain).isNotEqualTo(Key.of(KeyShape.of("ab", "c"), none, none));
    assertThat(plain.digest()).isNotEqualTo(Key.of(KeyShape.of("ab", "c"), none, none).digest());
    assertThat(plain).isEqualTo(Key.of(KeyShape.of("a", "bc"), none, none));
  }

  @Example
  void aDigestIsTheSameInEveryProcess() {
    assertThat(key("a", null, 3).digest())
        .isEqualTo("e3a714bf215dd7ef051427b7cac9da03c3e434590a32096032559868a6f10b34");
  }

  @Example
  void typesWithoutAKnownEqualityAreRefusedByName() {
    assertThatThrownBy(() -> Key.of(FORM, new String[] {"since"}, new Object[] {new Date(0)}))
        .isInstanceOf(UnsupportedValueException.class)
        .hasMessageContaining("'since'")
        .hasMessageContaining("java.util.Date");
    assertThatThrownBy(() -> key("ok\ud800"))
        .isInstanceOf(UnsupportedValueException.class)
        .hasMessageContaining("surrogate pair at index 2");
  }

  @Provide
  Arbitrary<ZoneOffset> offsets() {
    return Arbitraries.integers()
        .between(-18 * 60, 18 * 60)
        .map(m -> ZoneOffset.ofTotalSeconds(m * 60));
  }

  @Provide
  Arbitrary<List<@Nullable Object>> values() {
    Arbitrary<@Nullable Object> scalar =
        Arbitraries.of(
            null,
            "",
            "null",
            "0",
            "a",
            "b",
            "ab",
            "bc",
            "a,b",
            "a\u0000b",
            "\u0000",
            "s",
            "1",
            "1.0",
            "NaN",
            "true",
            "\ud83d\ude80",
            "\u00e9",
            "e\u0301",
            "\uffff",
            "$1",
            "'",
            0,
            1,
            1L,
            -1,
            256,
            1L << 40,
            (short) 1,
            BigInteger.ONE,
            BigInteger.TWO.pow(70),
            BigInteger.TWO.pow(70).negate(),
            new BigDecimal("1"),
            new BigDecimal("1.0"),
            new BigDecimal("10"),
            new BigDecimal("1E+1"),
            0.0,
            -0.0,
            1.0,
            1.0f,
            Double.NaN,
            Float.NaN,
            true,
            false,
            LocalDate.EPOCH,
            LocalDate.EPOCH.plusDays(1),
            LocalDateTime.of(1970, 1, 1, 0, 0),
            LocalTime.MIDNIGHT,
            Instant.EPOCH,
            Instant.EPOCH.plusNanos(1),
            new UUID(0, 0),
            new UUID(0, 1),
            new byte[] {},
            new byte[] {0},
            new byte[] {'a'},
            new int[] {1, 2},
            List.of(1, 2),
            List.of(),
            Arrays.asList((Object) null),
            List.of(List.of(1), List.of(2)),
            List.of(List.of(1, 2)));
    return scalar.list().ofMaxSize(4);
  }

  /** What a list of values means, in terms of plain Java equality: the oracle of the encoding. */
  private static List<Object> meaning(List<? extends @Nullable Object> values) {
    return values.stream().map(KeyProperties::meaningOf).toList();
  }

  private static Object meaningOf(@Nullable Object value) {
    if (value == null) {
      return "null value";
    } else if (value instanceof Integer || value instanceof Long || value instanceof Short) {
      return List.of(BigInteger.class, BigInteger.valueOf(((Number) value).longValue()));
    } else if (value instanceof byte[] bytes) {
      return List.of("bytes", IntStream.range(0, bytes.length).mapToObj(i -> bytes[i]).toList());
    } else if (value instanceof int[] ints) {
      return List.of("list", Arrays.stream(ints).mapToObj(KeyProperties::meaningOf).toList());
    } else if (value instanceof List<?> list) {
      return List.of("list", meaning(list));
    }
    return List.of(value.getClass(), value);
  }

  private static Key key(@Nullable Object... values) {
    return key(Arrays.asList(values));
  }

  private static Key key(List<? extends @Nullable Object> values) {
    String[] names =
        IntStream.range(0, values.size()).mapToObj(i -> "p" + i).toArray(String[]::new);
    return Key.of(FORM, names, values.toArray());
  }
}
