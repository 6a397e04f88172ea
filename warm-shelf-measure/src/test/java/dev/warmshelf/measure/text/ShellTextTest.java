package dev.warmshelf.measure.text;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.charset.StandardCharsets;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class ShellTextTest {
  @ParameterizedTest
  @ValueSource(
      strings = {
        "port:island",
        "",
        "two words",
        "\"My Table\":a,b",
        "it's",
        "'",
        "$(id)",
        "`id`;id",
        "a\\b",
        "~",
        "#x",
        "a=b",
        "*",
        "!!",
        "line\nline"
      })
  void aShellTakesItForTheSameText(String text) throws Exception {
    Process shell =
        new ProcessBuilder("sh", "-c", "printf '<%s>' " + ShellText.quoted(text)).start();
    assertThat(new String(shell.getInputStream().readAllBytes(), StandardCharsets.UTF_8))
        .isEqualTo("<" + text + ">");
    assertThat(shell.waitFor()).isZero();
  }
}
