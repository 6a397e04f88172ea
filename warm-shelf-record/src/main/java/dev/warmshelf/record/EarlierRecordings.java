package dev.warmshelf.record;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;

/**
 * Recordings that were made before under the same name. The newest of them has the number 1, which
 * stands before what follows the name's first dot: {@code questions.1.jsonl.gz}. What is no
 * recording is neither moved nor replaced.
 */
final class EarlierRecordings {
  private final Path file;
  private final int most;

  /**
   * @param file of the recording that is to begin
   * @param most how many may stay
   */
  EarlierRecordings(Path file, int most) {
    this.file = file;
    this.most = most;
  }

  /**
   * Makes room for another recording: each that is there gets the next number, and the oldest goes.
   *
   * @throws IOException if something else is in the way
   */
  void makeRoom() throws IOException {
    int last = 0;
    while (last <= most && Files.exists(numbered(last))) {
      requireRecording(numbered(last));
      last++;
    }
    if (last > most) {
      Files.delete(numbered(--last));
    }
    for (int number = last - 1; number >= 0; number--) {
      Files.move(numbered(number), numbered(number + 1));
    }
  }

  private Path numbered(int number) {
    if (number == 0) {
      return file;
    }
    String name = file.getFileName().toString();
    int dot = name.indexOf('.', 1);
    int at = dot < 0 ? name.length() : dot;
    return file.resolveSibling(name.substring(0, at) + '.' + number + name.substring(at));
  }

  private static void requireRecording(Path path) throws IOException {
    RecordingFile.requireFile(path);
    if (!RecordingFile.begins(path)) {
      throw new IOException(
          path + " is there, and is no recording, so it is left alone. Name another file.");
    }
  }
}
