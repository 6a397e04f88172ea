package dev.warmshelf.file;

import java.io.IOException;
import java.nio.channels.FileChannel;
import java.nio.channels.OverlappingFileLockException;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import org.jspecify.annotations.Nullable;

/**
 * Who may write a file, of all processes of this machine: a lock on a file beside it, which the
 * system takes away from a process that ends in whatever way. Whoever reads needs none.
 *
 * <p>Not thread-safe.
 */
public final class WritersLock implements AutoCloseable {
  private final Path beside;
  private @Nullable FileChannel held;

  /** Not held yet. */
  public WritersLock(Path file) {
    this.beside = file.resolveSibling(file.getFileName() + ".lock");
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
    }
    FileChannel channel =
        FileChannel.open(beside, StandardOpenOption.CREATE, StandardOpenOption.WRITE);
    boolean taken = false;
    try {
      taken = channel.tryLock() != null;
    } catch (OverlappingFileLockException e) {
      taken = false; // somebody else in this process
    } finally {
      if (taken) {
        held = channel;
      } else {
        channel.close();
      }
    }
    return taken;
  }

  /** Gives it back. */
  @Override
  public void close() throws IOException {
    FileChannel mine = held;
    held = null;
    if (mine != null) {
      mine.close();
    }
  }
}
