package dev.warmshelf.key;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.key.ValuePlan.Width;
import java.nio.ByteBuffer;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;

/** What stands in a type's row agrees with itself, for all types. */
class ValueTypeTest {
  @ParameterizedTest
  @EnumSource
  void itsValuesHaveItsClass(ValueType type) {
    for (Object value : SampleValues.of(type)) {
      assertThat(value.getClass()).isEqualTo(type.javaType());
      assertThat(ValueType.of(value.getClass())).isEqualTo(type);
    }
  }

  @ParameterizedTest
  @EnumSource
  void aKeyIsAsLongAsWasSaidAndTellsItsValuesApart(ValueType type) {
    for (Width width : Width.values()) {
      Set<ByteBuffer> seen = new HashSet<>();
      for (Object value : SampleValues.of(type)) {
        byte[] bytes = new byte[CanonicalValues.sizeOf("p", value)];
        assertThat(CanonicalValues.write(bytes, 0, value, width)).isEqualTo(bytes.length);
        assertThat(seen.add(ByteBuffer.wrap(bytes))).as(value.toString()).isTrue();
      }
    }
  }

  @ParameterizedTest
  @EnumSource
  void aListOfThemIsAsLongAsWasSaid(ValueType type) {
    List<Object> list = SampleValues.of(type);
    byte[] bytes = new byte[CanonicalValues.sizeOf("p", list)];
    assertThat(CanonicalValues.write(bytes, 0, list, Width.KEPT)).isEqualTo(bytes.length);
  }

  @ParameterizedTest
  @EnumSource
  void itsTextIsReadAsTheSame(ValueType type) {
    for (Object value : SampleValues.of(type)) {
      assertThat(type.parse(type.write(value))).isEqualTo(value);
    }
    if (type.jsonName() != null) {
      assertThat(ValueType.named(type.jsonName())).isEqualTo(type);
    }
  }

  @ParameterizedTest
  @EnumSource
  void itsMemoryIsWhatObjectsTakeOrIsShared(ValueType type) {
    for (Object value : SampleValues.of(type)) {
      long bytes = ValueType.bytesOf(value);
      assertThat(bytes % 8).isZero();
      assertThat(bytes == 0).isEqualTo(type == ValueType.BOOLEAN);
    }
  }
}
