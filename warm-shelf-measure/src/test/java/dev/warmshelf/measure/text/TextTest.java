package dev.warmshelf.measure.text;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import org.junit.jupiter.api.Test;

class TextTest {
  @Test
  void durationsShowThreeDigitsThatCount() {
    assertThat(Text.nanos(850)).isEqualTo("850 ns");
    assertThat(Text.nanos(-1_420_000)).isEqualTo("-1.42 ms");
    assertThat(Text.nanos(12_345)).isEqualTo("12.3 µs");
    assertThat(Text.nanos(1_420_000)).isEqualTo("1.42 ms");
    assertThat(Text.nanos(61_000_000_000L)).isEqualTo("61.0 s");
    assertThat(Text.percent(0.7191)).isEqualTo("71.9 %");
    assertThat(Text.count(1_500_000)).isEqualTo("1,500,000");
    assertThat(Text.times(4.444)).isEqualTo("4.44×");
  }

  @Test
  void tablesLineUp() {
    TextTable table = new TextTable(List.of("", "direct", "kept"));
    table.row(List.of("reads", "7", "1,000"));
    assertThat(table.lines("  "))
        .containsExactly(
            "          direct    kept", "  ──────────────────────", "  reads        7   1,000");
  }

  @Test
  void bytesShowThreeDigitsThatCount() {
    assertThat(Text.bytes(850)).isEqualTo("850 B");
    assertThat(Text.bytes(12_600)).isEqualTo("12.3 KiB");
    assertThat(Text.bytes(3L << 30)).isEqualTo("3.00 GiB");
  }
}
