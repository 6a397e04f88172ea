package dev.warmshelf.file;

import dev.warmshelf.lane.Lane;
import java.nio.ByteBuffer;
import java.util.List;

/**
 * An answer as a file has it.
 *
 * @param key the canonical bytes of its key's values
 * @param times when it was loaded, and how long it may be served
 * @param lanes what it depends on, but for what its statement means
 * @param columns what is the same for each row
 * @param rows the rows
 */
public record WrittenAnswer(
    ByteBuffer key, Times times, List<Lane> lanes, ByteBuffer columns, ByteBuffer rows) {
  /**
   * In nanoseconds, as of when the file was written.
   *
   * @param age since its load ended
   * @param idle since it was last used
   * @param load how long that took
   * @param lifetime how long after its load it may be served; {@link Long#MAX_VALUE} for ever
   * @param sinceUse how long after its last use it may be served; the same
   */
  public record Times(long age, long idle, long load, long lifetime, long sinceUse) {}
}
