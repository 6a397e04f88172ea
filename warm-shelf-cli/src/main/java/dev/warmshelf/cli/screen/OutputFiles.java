package dev.warmshelf.cli.screen;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Option;

/**
 * Looks, before a run begins, at the files that it will write: each can be written, none is read or
 * written twice by the same run, and none is there already, unless the engineer says so.
 */
public final class OutputFiles {
  @Option(names = "--overwrite", description = "Replace files that are there already.")
  private boolean overwrite;

  private final List<Path> taken = new ArrayList<>();

  /** A file that the run reads, which nothing may be written onto. */
  public void reads(@Nullable Path file) {
    if (file != null) {
      taken.add(known(file));
    }
  }

  /** A file that the run will write. */
  public void writes(String option, @Nullable Path file) throws Failure {
    if (file == null) {
      return;
    }
    if (Files.isDirectory(file)) {
      throw new Failure(option + " " + file + " is a directory; name a file.");
    }
    if (Files.exists(file) && !Files.isRegularFile(file)) {
      throw new Failure(option + " " + file + " is a device or a pipe; name a file.");
    }
    Path directory = file.toAbsolutePath().getParent();
    if (directory == null || !Files.isDirectory(directory)) {
      throw new Failure(option + " " + file + ": there is no directory " + directory + ".");
    }
    if (!Files.isWritable(Files.exists(file) ? file : directory)) {
      throw new Failure(option + " " + file + " cannot be written: this is not allowed.");
    }
    take(option, file);
  }

  /** A directory into which the run will write these files. */
  public void writesInto(String option, @Nullable Path directory, List<String> names)
      throws Failure {
    if (directory == null) {
      return;
    }
    Path there = directory.toAbsolutePath();
    while (there != null && !Files.exists(there)) {
      there = there.getParent();
    }
    if (there == null || !Files.isDirectory(there) || !Files.isWritable(there)) {
      throw new Failure(
          option
              + " "
              + directory
              + " cannot be written: "
              + there
              + " is no directory, or not writable.");
    }
    for (String name : names) {
      take(option, directory.resolve(name));
    }
  }

  private void take(String option, Path file) throws Failure {
    Path known = known(file);
    if (taken.contains(known)) {
      throw new Failure(
          option + " " + file + " is read or written by this run already; name another file.");
    }
    if (Files.exists(file) && !overwrite) {
      throw new Failure(
          option + " " + file + " is there already; name another file, or add --overwrite.");
    }
    taken.add(known);
  }

  /** The same file whatever it is called. */
  private static Path known(Path file) {
    try {
      return file.toRealPath();
    } catch (IOException e) {
      Path parent = file.toAbsolutePath().getParent();
      Path name = file.getFileName();
      return parent == null || name == null || parent.equals(file) || !Files.exists(parent)
          ? file.toAbsolutePath().normalize()
          : known(parent).resolve(name);
    }
  }
}
