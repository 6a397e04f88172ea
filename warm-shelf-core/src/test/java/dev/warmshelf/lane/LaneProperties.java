package dev.warmshelf.lane;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.List;
import net.jqwik.api.Example;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.constraints.Chars;
import net.jqwik.api.constraints.NotEmpty;

/** Laws of lanes: what they are told apart by, and how feeds carry them. */
class LaneProperties {
  @Property
  void tablesAreOneOnlyIfSchemaAndNameAre(
      @ForAll @NotEmpty @Chars({'a', '.', '"', ' ', '='}) String schema,
      @ForAll @NotEmpty @Chars({'a', '.', '"', ' ', '='}) String table,
      @ForAll @NotEmpty @Chars({'a', '.', '"', ' ', '='}) String otherSchema,
      @ForAll @NotEmpty @Chars({'a', '.', '"', ' ', '='}) String otherTable) {
    Lane one = Lane.ofTable(schema, table);
    Lane other = Lane.ofTable(otherSchema, otherTable);
    boolean same = schema.equals(otherSchema) && table.equals(otherTable);
    assertThat(one.equals(other)).isEqualTo(same);
    assertThat(one.name().equals(other.name())).isEqualTo(same);
    assertThat(one.compareTo(other) == 0).isEqualTo(same);
  }

  @Property
  void whatAFeedCarriesIsReadAsItWasWritten(
      @ForAll @NotEmpty String schema, @ForAll @NotEmpty String table) {
    Lane lane = Lane.ofTable(schema, table);
    assertThat(Lane.read(lane.written())).isEqualTo(lane);
  }

  @Example
  void lanesThatLookAlikeAreNotOne() {
    Lane table = Lane.ofTable("a.b", "c");
    assertThat(table).isNotEqualTo(Lane.ofTable("a", "b.c"));
    assertThat(table.name()).isEqualTo("\"a.b\".c");
    assertThat(Lane.ofTable("x", "y at large")).isNotEqualTo(Lane.ofTable("x", "y").atLarge());
    assertThat(Lane.ofTable("x", "y.c=1")).isNotEqualTo(Lane.ofTable("x", "y").group("c=1"));
    assertThat(Lane.ofTag("x.y").name()).isEqualTo("tag x.y");
    assertThat(Lane.read("*")).isEqualTo(Lane.SCHEMA);
    for (String wrong :
        List.of("", "a.b", "\"a\"", "\"a\".b", "\"a\".\"b\".\"c\"", "\"a\"x\"b\"")) {
      assertThatThrownBy(() -> Lane.read(wrong)).isInstanceOf(IllegalArgumentException.class);
    }
    assertThatThrownBy(() -> table.atLarge().group("c=1")).hasMessageContaining("at large");
  }
}
