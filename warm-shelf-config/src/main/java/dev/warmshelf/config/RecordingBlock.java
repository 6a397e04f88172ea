package dev.warmshelf.config;

import dev.warmshelf.WarmShelf;
import dev.warmshelf.record.ShelfRecording;
import dev.warmshelf.yaml.YamlException;
import java.io.IOException;
import java.nio.file.Path;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * Where what the shelves are asked is written.
 *
 * @param values whether parameters' values are written, too
 * @param mostBytes how big the file may become; null for the usual
 * @param earlier how many earlier recordings stay beside it; null for the usual
 */
record RecordingBlock(
    String file, boolean values, @Nullable Long mostBytes, @Nullable Integer earlier, int line) {
  static final List<String> WORDS = List.of("file", "values", "at-most", "earlier");

  /**
   * Begins to record.
   *
   * @return to be closed when the shelves are
   * @throws YamlException if the part that records is missing, or the file cannot be written
   */
  AutoCloseable start(WarmShelf warm) {
    try {
      return Begun.start(this, warm);
    } catch (IOException | IllegalArgumentException e) {
      throw new YamlException(line, "the recording '" + file + "' cannot be written: " + e + ".");
    } catch (NoClassDefFoundError e) {
      throw new YamlException(
          line, "the part that records is not on the class path; add warm-shelf-record to it.");
    }
  }

  /** Loaded only where somebody records. */
  private static final class Begun {
    private Begun() {}

    static AutoCloseable start(RecordingBlock block, WarmShelf warm) throws IOException {
      ShelfRecording.Plan plan = ShelfRecording.to(Path.of(block.file()));
      Long most = block.mostBytes();
      plan = most == null ? plan : plan.atMost(most);
      Integer earlier = block.earlier();
      plan = earlier == null ? plan : plan.keepingEarlier(earlier);
      ShelfRecording recording = (block.values() ? plan : plan.withoutParameters()).open();
      warm.recordTo(recording);
      return () -> {
        warm.recordTo(null);
        recording.close();
      };
    }
  }
}
