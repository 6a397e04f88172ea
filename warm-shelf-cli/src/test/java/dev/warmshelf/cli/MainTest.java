package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import java.io.File;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** The command as a process: its output, its exit codes, its encoding. */
class MainTest {
  private static Process start(ProcessBuilder.Redirect out, String... arguments) throws Exception {
    List<String> command =
        new java.util.ArrayList<>(
            List.of(
                ProcessHandle.current().info().command().orElseThrow(),
                "-cp",
                System.getProperty("java.class.path"),
                Main.class.getName()));
    command.addAll(List.of(arguments));
    return new ProcessBuilder(command).redirectOutput(out).start();
  }

  @Test
  @Timeout(60)
  void outputThatCannotBeWrittenIsAFailure() throws Exception {
    assumeTrue(Files.exists(Path.of("/dev/full")), "a device that is always full");
    Process process = start(ProcessBuilder.Redirect.to(new File("/dev/full")), "example");
    String said = new String(process.getErrorStream().readAllBytes(), StandardCharsets.UTF_8);
    assertThat(process.waitFor()).isEqualTo(2);
    assertThat(said).contains("could not be written");
  }

  @Test
  @Timeout(60)
  void outputIsUtf8WhateverTheLocale() throws Exception {
    Process process = start(ProcessBuilder.Redirect.PIPE, "measure", "--print-workload");
    byte[] out = process.getInputStream().readAllBytes();
    assertThat(process.waitFor()).isZero();
    assertThat(new String(out, StandardCharsets.UTF_8)).startsWith("#").doesNotContain("\ufffd");
  }

  @Test
  void anArgumentThatIsNoTextIsRefused() {
    Ran ran = Ran.of("key", "SELECT '\ufffd'");
    assertThat(ran.exitCode()).isEqualTo(2);
    assertThat(ran.err()).contains("LC_ALL");
  }

  @Test
  void anArgumentThatBeginsWithAnAtSignIsNoFile() {
    Ran ran = Ran.of("measure", "@/tmp");
    assertThat(ran.exitCode()).isEqualTo(2);
    assertThat(ran.err()).contains("@/tmp").doesNotContain("Exception");
  }

  @ParameterizedTest
  @ValueSource(strings = {"demo", "measure", "key", "feed", "watch", "example"})
  void everyHelpHasAnExample(String command) {
    Ran help = Ran.of(command, "--help");
    assertThat(help.exitCode()).isZero();
    assertThat(help.out()).contains("Example", "  shelf " + command);
  }

  @ParameterizedTest
  @ValueSource(strings = {"measure", "key", "feed", "example"})
  void everyHelpOfACommandThatAsksADatabaseSaysHowToNameIt(String command) {
    assertThat(Ran.of(command, "--help").out())
        .contains("SHELF_DB_URL", "SHELF_DB_USER", "SHELF_DB_PASSWORD");
  }

  @Test
  void aShellIsToldHowToCompleteIt() {
    Ran ran = Ran.of("generate-completion");
    assertThat(ran.exitCode()).isZero();
    assertThat(ran.out()).contains("complete -F _complete_shelf", "--recording", "bashcompinit");
  }
}
