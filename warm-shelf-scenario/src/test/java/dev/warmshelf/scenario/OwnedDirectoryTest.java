package dev.warmshelf.scenario;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class OwnedDirectoryTest {
  @TempDir private Path home;

  @Test
  void whatNobodyHoldsIsAbandonedWhateverItsOwnerFileSays() throws Exception {
    Path empty = Files.createDirectory(home.resolve("server-empty"));
    Files.createFile(empty.resolve("owner"));
    Path damaged = Files.createDirectory(home.resolve("server-damaged"));
    Files.writeString(damaged.resolve("owner"), "no number at all");
    Path without = Files.createDirectory(home.resolve("server-without"));
    Path other = Files.createDirectory(home.resolve("programs"));
    List<Path> found = new ArrayList<>();
    OwnedDirectory.deleteAbandoned(home, found::add);
    assertThat(found).containsExactlyInAnyOrder(empty, damaged, without);
    assertThat(empty).doesNotExist();
    assertThat(damaged).doesNotExist();
    assertThat(without).doesNotExist();
    assertThat(other).exists();
  }

  @Test
  void onesOwnIsNotAbandonedUntilItIsDeleted() throws Exception {
    OwnedDirectory own = OwnedDirectory.create(home);
    OwnedDirectory.deleteAbandoned(home, directory -> {});
    assertThat(own.path()).exists();
    own.delete();
    assertThat(own.path()).doesNotExist();
  }

  @Test
  void whoMakesOneWhileOthersTidyKeepsIt() throws Exception {
    ExecutorService threads = Executors.newFixedThreadPool(4);
    List<Future<OwnedDirectory>> made = new ArrayList<>();
    for (int i = 0; i < 40; i++) {
      made.add(
          threads.submit(
              () -> {
                OwnedDirectory one = OwnedDirectory.create(home);
                OwnedDirectory.deleteAbandoned(home, directory -> {});
                return one;
              }));
    }
    for (Future<OwnedDirectory> each : made) {
      assertThat(each.get().path()).exists();
      each.get().delete();
    }
    threads.shutdown();
  }
}
