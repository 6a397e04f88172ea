package dev.warmshelf.scenario;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Nobody else can put a program where ours are started from. */
class PrivateDirectoryTest {
  @TempDir private Path temporary;

  @Test
  void itIsItsUsersAlone() throws IOException {
    Path made = temporary.resolve("a/b");
    PrivateDirectory.make(made);
    PrivateDirectory.make(made);
    assertThat(PosixFilePermissions.toString(Files.getPosixFilePermissions(made)))
        .isEqualTo("rwx------");
  }

  @Test
  void oneThatWasOpenToOthersIsNotTaken() throws IOException {
    Path open = Files.createDirectory(temporary.resolve("open"));
    Files.setPosixFilePermissions(open, PosixFilePermissions.fromString("rwxrwxrwx"));
    assertThatThrownBy(() -> PrivateDirectory.make(open)).hasMessageContaining("open to others");
  }

  @Test
  void norIsALinkOrAFile() throws IOException {
    Path target = Files.createDirectory(temporary.resolve("target"));
    Path link = Files.createSymbolicLink(temporary.resolve("link"), target);
    Path file = Files.createFile(temporary.resolve("file"));
    assertThatThrownBy(() -> PrivateDirectory.make(link)).hasMessageContaining("link");
    assertThatThrownBy(() -> PrivateDirectory.make(file)).hasMessageContaining("no directory");
  }
}
