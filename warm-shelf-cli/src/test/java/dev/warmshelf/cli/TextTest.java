package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.sql.SQLException;
import java.util.List;
import org.junit.jupiter.api.Test;

class TextTest {
  @Test
  void durationsShowThreeDigitsThatCount() {
    assertThat(Text.nanos(850)).isEqualTo("850 ns");
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
  void failuresAreOneLineAndNameTheCause() {
    SQLException cause = new SQLException("Connection to x refused.\n  Check it.", "08001");
    assertThat(Failure.inOneLine(new SQLException("pool is empty", "08001", cause)))
        .isEqualTo("The database cannot be reached: Connection to x refused. Check it.");
    assertThat(Failure.inOneLine(new SQLException("no such table", "42P01")))
        .isEqualTo("The database said: no such table");
    assertThat(Failure.inOneLine(new SQLException("no", "28P01")))
        .startsWith("The database refused the user or password");
    assertThat(Failure.inOneLine(new IllegalStateException())).isEqualTo("IllegalStateException");
  }
}
