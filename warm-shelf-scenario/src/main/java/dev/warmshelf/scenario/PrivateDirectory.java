package dev.warmshelf.scenario;

import java.io.IOException;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.LinkOption;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFileAttributes;
import java.nio.file.attribute.PosixFilePermission;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.Set;

/** A directory that its user alone may look into and write to. */
final class PrivateDirectory {
  private static final Set<PosixFilePermission> OWNERS_ALONE =
      PosixFilePermissions.fromString("rwx------");

  private PrivateDirectory() {}

  /**
   * Makes it, if it is not there.
   *
   * @throws IOException if it is there and is somebody else's, open to others, a link, or no
   *     directory
   */
  static void make(Path directory) throws IOException {
    if (!Files.getFileStore(root(directory)).supportsFileAttributeView("posix")) {
      Files.createDirectories(directory);
      return;
    }
    Path above = directory.getParent();
    if (above != null) {
      Files.createDirectories(above);
    }
    try {
      Files.createDirectory(directory, PosixFilePermissions.asFileAttribute(OWNERS_ALONE));
    } catch (FileAlreadyExistsException e) {
      requireOurs(directory);
    }
  }

  private static Path root(Path directory) {
    Path at = directory.toAbsolutePath();
    while (!Files.exists(at) && at.getParent() != null) {
      at = at.getParent();
    }
    return at;
  }

  private static void requireOurs(Path directory) throws IOException {
    PosixFileAttributes found =
        Files.readAttributes(directory, PosixFileAttributes.class, LinkOption.NOFOLLOW_LINKS);
    if (!found.isDirectory()) {
      throw new IOException(directory + " is a link, or no directory. Take it away.");
    }
    Path probe = Files.createTempFile("warm-shelf", ".owner");
    try {
      if (!found.owner().equals(Files.getOwner(probe))) {
        throw new IOException(
            directory + " belongs to " + found.owner().getName() + ". Take it away.");
      }
    } finally {
      Files.delete(probe);
    }
    if (!found.permissions().equals(OWNERS_ALONE)) {
      throw new IOException(
          directory
              + " is open to others ("
              + PosixFilePermissions.toString(found.permissions())
              + "), who may have put programs there. Delete it, and what is in it.");
    }
  }
}
