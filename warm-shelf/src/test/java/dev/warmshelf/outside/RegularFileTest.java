package dev.warmshelf.outside;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.nio.charset.CharacterCodingException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

@Timeout(30)
class RegularFileTest {
  @TempDir private Path folder;

  @Test
  void whatIsLongerThanAllowedIsNotRead() throws IOException {
    Path file = Files.writeString(folder.resolve("a"), "twelve bytes");
    assertThat(RegularFile.text(file, 12)).isEqualTo("twelve bytes");
    assertThatThrownBy(() -> RegularFile.text(file, 11)).hasMessageContaining("more than 11");
  }

  @Test
  void textIsUtf8() throws IOException {
    Path file = Files.write(folder.resolve("a"), new byte[] {'a', (byte) 0xe9});
    assertThatThrownBy(() -> RegularFile.text(file, 12))
        .isInstanceOf(CharacterCodingException.class);
  }

  @ParameterizedTest
  @ValueSource(strings = {"/dev/zero", "/dev/full", "/dev/null", "/dev"})
  void whatIsNoFileIsNotOpened(String path) {
    assertThatThrownBy(() -> RegularFile.text(Path.of(path), 10))
        .isInstanceOf(IOException.class)
        .hasMessageStartingWith("it is a");
  }

  @Test
  void aPipeIsNotWaitedFor() throws Exception {
    Path pipe = folder.resolve("pipe");
    assertThat(new ProcessBuilder("mkfifo", pipe.toString()).start().waitFor()).isZero();
    assertThatThrownBy(() -> RegularFile.text(pipe, 10)).hasMessageContaining("pipe");
  }

  @Test
  void aLinkToAFileIsOne() throws IOException {
    Path file = Files.writeString(folder.resolve("a"), "held");
    Path link = Files.createSymbolicLink(folder.resolve("b"), file);
    assertThat(RegularFile.text(link, 10)).isEqualTo("held");
  }

  @Test
  void whatIsNotThereMayBecomeOne() throws IOException {
    RegularFile.require(folder.resolve("new"));
    assertThatThrownBy(() -> RegularFile.text(folder.resolve("new"), 10))
        .isInstanceOf(java.nio.file.NoSuchFileException.class);
  }
}
