package dev.warmshelf.cli;

import java.io.IOException;
import java.nio.charset.MalformedInputException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;

/** Files that the engineer names to be read. */
final class InputFile {
  private InputFile() {}

  /**
   * The text in a file.
   *
   * @throws Failure if it is no text in UTF-8, or cannot be read
   */
  static String read(Path file) throws Failure {
    if (Files.isDirectory(file)) {
      throw new Failure(file + " is a directory, not a file.");
    }
    try {
      return Files.readString(file);
    } catch (NoSuchFileException e) {
      throw new Failure("There is no file " + file + ".", e);
    } catch (MalformedInputException e) {
      throw new Failure("The file " + file + " is not UTF-8 text.", e);
    } catch (IOException e) {
      throw Failure.of("The file " + file + " cannot be read", e);
    }
  }
}
