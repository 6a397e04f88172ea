package dev.warmshelf.answer;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.shelf.MappingException;
import dev.warmshelf.shelf.Origin;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.time.Instant;
import java.time.LocalDate;
import java.time.OffsetDateTime;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

class ConversionTest {
  record Pair(String leftSide, int right) {}

  @Test
  void numbersFitOrFailAndAreNeverCutOff() {
    assertThat(convert(7, long.class)).isEqualTo(7L);
    assertThat(convert(7L, int.class)).isEqualTo(7);
    assertThat(convert(new BigDecimal("7.0"), Integer.class)).isEqualTo(7);
    assertThat(convert(7, BigDecimal.class)).isEqualTo(new BigDecimal("7"));
    assertThat(convert(7, BigInteger.class)).isEqualTo(BigInteger.valueOf(7));
    assertThat(convert(0.5f, double.class)).isEqualTo(0.5);
    assertFails(3_000_000_000L, int.class);
    assertFails(new BigDecimal("7.5"), int.class);
    assertFails(70_000, short.class);
    assertFails("7", int.class);
    assertFails(0.1, float.class);
  }

  @Test
  void otherTypesBecomeWhatTheyAre() {
    OffsetDateTime moment = OffsetDateTime.parse("2026-05-01T12:00:00+02:00");
    assertThat(convert(moment, Instant.class)).isEqualTo(moment.toInstant());
    assertThat(convert("KEPT", Origin.class)).isEqualTo(Origin.KEPT);
    assertThat(convert(LocalDate.EPOCH, String.class)).isEqualTo("1970-01-01");
    assertFails("LOST", Origin.class);
    assertFails("x", boolean.class);
    assertFails(LocalDate.EPOCH, Instant.class);
  }

  @Test
  void nullIsNullExceptWhereItCannotBe() {
    assertThat(convert(null, Integer.class)).isNull();
    assertThatThrownBy(() -> convert(null, int.class))
        .isInstanceOf(MappingException.class)
        .hasMessageContaining("here")
        .hasMessageContaining("null");
  }

  @Test
  void bytesAreCopiedEachTime() {
    byte[] kept = {1, 2};
    byte[] given = (byte[]) convert(kept, byte[].class);
    given[0] = 9;
    assertThat(kept).containsExactly(1, 2);
    assertThat(Mappers.to(byte[].class).makesImmutable(true)).isFalse();
    assertThat(Mappers.to(List.class).makesImmutable(true)).isFalse();
    assertThat(Mappers.to(List.class).makesImmutable(false)).isTrue();
    assertThat(Mappers.to(Pair.class).makesImmutable(false)).isTrue();
  }

  @Test
  void componentsAreFoundWhateverTheCaseAndUnderscores() {
    Mapper<Pair> mapper = Mappers.to(Pair.class);
    assertThat(
            mapper.on(List.of("RIGHT", "more", "left_side")).apply(new Object[] {7, "unused", "x"}))
        .isEqualTo(new Pair("x", 7));
    assertThatThrownBy(() -> mapper.on(List.of("right", "left_side", "leftside")))
        .hasMessageContaining("Two columns could fill Pair.leftSide");
    assertThatThrownBy(() -> mapper.on(List.of("right")))
        .hasMessageContaining("No column fills Pair.leftSide");
    assertThatThrownBy(() -> Mappers.to(String.class).on(List.of("a", "b")))
        .hasMessageContaining("one column");
  }

  @Test
  void mapsHaveEveryColumnAndCopyBytes() {
    byte[] kept = {1, 2};
    Map<String, Object> map =
        Mappers.toMaps().on(List.of("a", "b")).apply(new Object[] {null, kept});
    ((byte[]) map.get("b"))[0] = 9;
    assertThat(kept).containsExactly(1, 2);
    assertThat(map).containsKey("a").hasSize(2);
    assertThatThrownBy(() -> map.put("c", 1)).isInstanceOf(UnsupportedOperationException.class);
    assertThat(Mappers.toMaps().makesImmutable(true)).isFalse();
    assertThat(Mappers.toMaps().makesImmutable(false)).isTrue();
    assertThatThrownBy(() -> Mappers.toMaps().on(List.of("a", "a")))
        .hasMessageContaining("same label");
    assertThatThrownBy(() -> Mappers.toMaps().row(Map.of())).hasMessageContaining("record");
  }

  private static Object convert(Object value, Class<?> type) {
    return Conversion.convert(value, type, "here");
  }

  private static void assertFails(Object value, Class<?> type) {
    assertThatThrownBy(() -> convert(value, type))
        .isInstanceOf(MappingException.class)
        .hasMessageContaining("here")
        .hasMessageContaining(type.getSimpleName());
  }
}
