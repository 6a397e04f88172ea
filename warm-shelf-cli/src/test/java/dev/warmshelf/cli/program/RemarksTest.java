package dev.warmshelf.cli.program;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.jmx.OpenRow;
import java.util.List;
import java.util.Map;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

class RemarksTest {
  private static OpenRow form(int number, String statement) {
    return new OpenRow(
        Map.of(
            "shelf", "main",
            "form", "f" + number,
            "statement", statement,
            "since", "2026-12-02T10:00:00Z",
            "why", "its questions took 2.000 ms on average, direct ones 1.500 ms"));
  }

  @Test
  void eachFormThatStandsDownHasALine() {
    Remarks remarks = new Remarks(List.of(), List.of(form(1, "select 'a\nb' from port")));
    assertThat(remarks.lines())
        .singleElement()
        .asString()
        .startsWith("stands down: form f1 on main keeps nothing since 2026-12-02T10:00:00Z: its")
        .contains("comes back by itself")
        .doesNotContain("\n");
    assertThat(remarks.fields().get("stoodDown"))
        .isEqualTo(remarks.stoodDown().stream().map(OpenRow::fields).toList());
    assertThat(Remarks.NONE.lines()).isEmpty();
  }

  @Test
  void ofManyTheOthersAreCounted() {
    List<OpenRow> many = IntStream.range(0, 8).mapToObj(i -> form(i, "select 1")).toList();
    assertThat(new Remarks(List.of(), many).lines())
        .hasSize(6)
        .last()
        .isEqualTo("stands down: 3 more forms");
  }
}
