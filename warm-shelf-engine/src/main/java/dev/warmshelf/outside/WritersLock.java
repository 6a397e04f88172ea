package dev.warmshelf.outside;

import java.io.IOException;
import java.nio.channels.FileChannel;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import org.jspecify.annotations.Nullable;

/**
 * Who may write a file, of all processes of this machine: a lock on a file beside it, which the
 * system takes away from a process that ends in whatever way. Whoever reads needs none.
 *
 * <p>Where a process closes any channel to a file, some systems end all its locks on that ({@link
 * java.nio.channels.FileLock}). So what is held in this process is known without opening one.
 *
 * <p>Not thread-safe.
 */
public final class WritersLock implements AutoCloseable {
  private static final Set<Path> HELD_HERE = ConcurrentHashMap.newKeySet();

  private final Path beside;
  private @Nullable FileChannel held;

  /** Not held yet. */
  public WritersLock(Path file) {
    Path whole = file.toAbsolutePath().normalize();
    this.beside = whole.resolveSibling(whole.getFileName() + ".lock");
  }

  /**
   * Takes it, unless somebody else has it.
   *
   * @return whether it is held now
   * @throws IOException if there can be no such file
   */
  public boolean take() throws IOException {
    if (held != null) {
      return true;
    } else if (!HELD_HERE.add(beside)) {
      return false; // somebody else in this process
    }
    FileChannel channel = null;
    try {
      channel = FileChannel.open(beside, StandardOpenOption.CREATE, StandardOpenOption.WRITE);
      if (channel.tryLock() != null) {
        held = channel;
      }
    } finally {
      if (held == null) {
        if (channel != null) {
          channel.close();
        }
        HELD_HERE.remove(beside);
      }
    }
    return held != null;
  }

  /** Gives it back. */
  @Override
  public void close() throws IOException {
    FileChannel mine = held;
    held = null;
    if (mine != null) {
      mine.close();
      HELD_HERE.remove(beside);
    }
  }
}
