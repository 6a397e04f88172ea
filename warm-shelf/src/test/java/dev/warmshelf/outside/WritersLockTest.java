package dev.warmshelf.outside;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.scenario.OwnJava;
import java.io.IOException;
import java.nio.file.Path;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class WritersLockTest {
  /** Another process, which says whether it gets the lock. */
  public static void main(String[] arguments) throws IOException {
    try (WritersLock lock = new WritersLock(Path.of(arguments[0]))) {
      System.out.println(lock.take());
    }
  }

  private static String takenByAnother(Path file) throws Exception {
    Process other = OwnJava.running(WritersLockTest.class, file.toString()).start();
    String said = other.inputReader().readLine();
    assertThat(other.waitFor()).isZero();
    return said;
  }

  @Test
  void whoAsksInVainDoesNotEndItForItsHolder(@TempDir Path directory) throws Exception {
    Path file = directory.resolve("answers");
    try (WritersLock holder = new WritersLock(file);
        WritersLock second = new WritersLock(directory.resolve("x/../answers"))) {
      assertThat(holder.take()).isTrue();
      assertThat(second.take()).isFalse();
      assertThat(takenByAnother(file)).isEqualTo("false");
      assertThat(holder.take()).isTrue();
      holder.close();
      assertThat(takenByAnother(file)).isEqualTo("true");
      assertThat(second.take()).isTrue();
    }
  }
}
