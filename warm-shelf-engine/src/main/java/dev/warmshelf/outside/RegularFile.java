package dev.warmshelf.outside;

import java.io.IOException;
import java.io.InputStream;
import java.nio.ByteBuffer;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;

/**
 * Files whose names come from outside. A device may have no end, and a pipe lets whoever opens it
 * wait; neither is read or written.
 */
public final class RegularFile {
  private RegularFile() {}

  /**
   * Refuses what is there and is no regular file, nor a link to one.
   *
   * @throws IOException if it is a directory, a device, a pipe or a socket
   */
  public static void require(Path file) throws IOException {
    if (Files.exists(file) && !Files.isRegularFile(file)) {
      throw new IOException(
          Files.isDirectory(file) ? "it is a directory" : "it is a device or a pipe, not a file");
    }
  }

  /**
   * The text in a file, in UTF-8.
   *
   * @param most so many bytes are read; what is longer is refused
   * @throws CharacterCodingException if it is not UTF-8
   * @throws IOException if it is no regular file, is too long, or cannot be read
   */
  public static String text(Path file, int most) throws IOException {
    require(file);
    byte[] bytes;
    try (InputStream in = Files.newInputStream(file)) {
      bytes = in.readNBytes(most + 1);
    }
    if (bytes.length > most) {
      throw new IOException("it has more than " + most + " bytes");
    }
    return StandardCharsets.UTF_8.newDecoder().decode(ByteBuffer.wrap(bytes)).toString();
  }
}
