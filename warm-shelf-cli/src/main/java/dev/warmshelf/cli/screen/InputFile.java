package dev.warmshelf.cli.screen;

import dev.warmshelf.outside.RegularFile;
import java.io.IOException;
import java.nio.charset.CharacterCodingException;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;

/** Files that the engineer names to be read. */
public final class InputFile {
  private static final int MOST_BYTES = 64 << 20;

  private InputFile() {}

  /**
   * The text in a file.
   *
   * @throws Failure if it is no text in UTF-8, or cannot be read
   */
  public static String read(Path file) throws Failure {
    try {
      return RegularFile.text(file, MOST_BYTES);
    } catch (NoSuchFileException e) {
      throw new Failure("There is no file " + file + ".", e);
    } catch (CharacterCodingException e) {
      throw new Failure("The file " + file + " is not UTF-8 text.", e);
    } catch (IOException e) {
      throw Failure.of("The file " + file + " cannot be read", e);
    }
  }
}
