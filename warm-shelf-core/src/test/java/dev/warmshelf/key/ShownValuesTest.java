package dev.warmshelf.key;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.key.ValuePlan.Item;
import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.key.ValuePlan.Width;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetTime;
import java.util.Arrays;
import java.util.List;
import java.util.UUID;
import org.junit.jupiter.api.Test;

class ShownValuesTest {
  private static List<String> inWords(ValuePlan plan, Object... values) {
    String[] names = new String[values.length];
    Arrays.fill(names, "a");
    return Key.of(KeyShape.of("", "x"), plan, names, values).valuesInWords();
  }

  private static List<String> shown(Object... values) {
    return inWords(ValuePlan.inOrder(values.length), values);
  }

  @Test
  void eachKindOfValueIsShownAsPeopleWriteIt() {
    UUID id = new UUID(1, 2);
    assertThat(
            shown(null, "it's", true, 7, (short) -7, new BigInteger("123456789012345678901"), id))
        .containsExactly(
            "null", "'it's'", "true", "7", "-7", "123456789012345678901", id.toString());
    assertThat(shown(new BigDecimal("1.50"), 1.5f, -0.0, new byte[] {1, (byte) 0xff}))
        .containsExactly("1.50", "1.5", "-0.0", "bytes 01ff");
    Instant moment = Instant.parse("2026-05-01T10:00:00.5Z");
    assertThat(
            shown(
                LocalDate.of(2026, 5, 1),
                LocalTime.of(10, 30),
                OffsetTime.parse("10:30+02:00"),
                LocalDateTime.of(2026, 5, 1, 10, 30),
                moment))
        .containsExactly(
            "2026-05-01", "10:30", "10:30+02:00", "2026-05-01T10:30", moment.toString());
    assertThat(shown("x".repeat(500)).get(0)).hasSize(202);
  }

  @Test
  void setsAndListsAndWhatMaySwapAreShownToo() {
    Source first = new Source.Parameter(0);
    Source second = new Source.Parameter(1);
    ValuePlan set = ValuePlan.of(List.of(new Item.AnyOrder(List.of(first, second))));
    assertThat(inWords(set, 3, 1)).containsExactly("{1, 3}");
    ValuePlan elements = ValuePlan.of(List.of(new Item.Elements(first)));
    assertThat(inWords(elements, List.of(2, 1, 2))).containsExactly("{1, 2}");
    assertThat(inWords(elements, "{1,2}")).containsExactly("'{1,2}'");
    ValuePlan swap =
        ValuePlan.of(
            List.of(
                new Item.Swappable(
                    List.of(
                        List.of(new Item.One(first, Width.FOLDED)),
                        List.of(new Item.One(second, Width.FOLDED))))));
    assertThat(inWords(swap, 2, 1)).containsExactly("1", "2");
    assertThat(shown(List.of("a", "b"))).containsExactly("['a', 'b']");
  }
}
