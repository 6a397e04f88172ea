package dev.warmshelf.scenario;

import java.io.IOException;
import java.nio.channels.FileChannel;
import java.nio.channels.FileLock;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.Comparator;
import java.util.List;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Consumer;
import java.util.function.Supplier;
import java.util.stream.Stream;

/**
 * A directory that belongs to this process for as long as it lives, however it ends.
 *
 * <p>The owner holds a lock on a file in it, which the system takes away when the process ends;
 * what is in that file does not matter. Directories are made, and abandoned ones deleted, under
 * another lock, so that nobody sees one that is made but not locked yet.
 */
final class OwnedDirectory {
  private static final String OWNER_FILE = "owner";
  private static final String PREFIX = "server-";
  private static final String GUARD_FILE = "guard";

  /**
   * This process's own. Their files must not be opened a second time: where that is closed, the
   * system drops the lock that was taken first (fcntl(2), advisory record locking).
   */
  private static final Set<Path> OWN = ConcurrentHashMap.newKeySet();

  private final Path path;
  private final FileChannel owner;

  /** Told of an abandoned directory before it is deleted. */
  interface Abandoned {
    void found(Path directory) throws IOException;
  }

  private OwnedDirectory(Path path, FileChannel owner) {
    this.path = path;
    this.owner = owner;
  }

  /** Makes one in this directory, which is made, too, if need be. */
  static OwnedDirectory create(Path home) throws IOException {
    return create(home, made -> {});
  }

  /**
   * The same.
   *
   * @param told of it before anybody who calls {@link #whatIsMade} goes on
   */
  static OwnedDirectory create(Path home, Consumer<OwnedDirectory> told) throws IOException {
    Files.createDirectories(home);
    synchronized (OwnedDirectory.class) {
      try (FileChannel guard = open(home.resolve(GUARD_FILE));
          FileLock ignored = guard.lock()) {
        Path made = Files.createTempDirectory(home, PREFIX);
        FileChannel owner = open(made.resolve(OWNER_FILE));
        owner.lock();
        OWN.add(made);
        OwnedDirectory created = new OwnedDirectory(made, owner);
        told.accept(created);
        return created;
      }
    }
  }

  /** What a supplier gives once no directory is being made. */
  static <T> T whatIsMade(Supplier<T> supplier) {
    synchronized (OwnedDirectory.class) {
      return supplier.get();
    }
  }

  Path path() {
    return path;
  }

  /** Deletes it, with all that is in it. */
  void delete() throws IOException {
    try (owner) {
      delete(path);
    } finally {
      OWN.remove(path);
    }
  }

  /** Deletes the directories in there whose owners have ended. */
  static void deleteAbandoned(Path home, Abandoned told) throws IOException {
    if (!Files.isDirectory(home)) {
      return;
    }
    synchronized (OwnedDirectory.class) {
      try (FileChannel guard = open(home.resolve(GUARD_FILE));
          FileLock ignored = guard.lock()) {
        for (Path directory : directories(home)) {
          if (isAbandoned(directory)) {
            told.found(directory);
            delete(directory);
          }
        }
      }
    }
  }

  private static List<Path> directories(Path home) throws IOException {
    try (Stream<Path> listed = Files.list(home)) {
      return listed
          .filter(path -> String.valueOf(path.getFileName()).startsWith(PREFIX))
          .filter(Files::isDirectory)
          .toList();
    }
  }

  private static boolean isAbandoned(Path directory) throws IOException {
    if (OWN.contains(directory)) {
      return false;
    }
    try (FileChannel owner = open(directory.resolve(OWNER_FILE))) {
      FileLock lock = owner.tryLock();
      return lock != null;
    } catch (NoSuchFileException e) {
      return false; // somebody deletes it just now
    }
  }

  private static FileChannel open(Path file) throws IOException {
    return FileChannel.open(file, StandardOpenOption.CREATE, StandardOpenOption.WRITE);
  }

  private static void delete(Path directory) throws IOException {
    if (!Files.exists(directory)) {
      return;
    }
    try (Stream<Path> tree = Files.walk(directory)) {
      for (Path each : tree.sorted(Comparator.reverseOrder()).toList()) {
        Files.deleteIfExists(each);
      }
    }
  }
}
