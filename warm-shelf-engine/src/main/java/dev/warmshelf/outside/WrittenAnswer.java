package dev.warmshelf.outside;

import dev.warmshelf.answer.ValueBytes;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.store.Entry;
import java.io.DataOutputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.ArrayList;
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

  /**
   * Writes an entry, but for what its answer shares with others.
   *
   * @param rows of its answer
   * @param now on the clock by which it was filled
   */
  static void write(DataOutputStream data, Entry entry, byte[] rows, long now) throws IOException {
    ValueBytes.writeBytes(data, entry.key().writtenValues());
    data.writeLong(now - entry.filledNanos());
    data.writeLong(now - entry.usedAtNanos());
    data.writeLong(entry.loadNanos());
    data.writeLong(entry.lifetimeNanos());
    data.writeLong(entry.idleLimitNanos());
    List<Lane> lanes = entry.footprint().shownLanes();
    data.writeInt(lanes.size());
    for (Lane lane : lanes) {
      List<String> fields = lane.fields();
      data.writeInt(fields.size());
      for (String field : fields) {
        ValueBytes.writeText(data, field);
      }
    }
    ValueBytes.writeBytes(data, rows);
  }

  /**
   * Reads it.
   *
   * @throws RuntimeException if it is none
   */
  static WrittenAnswer read(ByteBuffer in, ByteBuffer columns) {
    ByteBuffer key = ByteBuffer.wrap(ValueBytes.readBytes(in));
    Times times = new Times(in.getLong(), in.getLong(), in.getLong(), in.getLong(), in.getLong());
    List<Lane> lanes = new ArrayList<>();
    int count = ValueBytes.countIn(in, Integer.BYTES);
    for (int i = 0; i < count; i++) {
      List<String> fields = new ArrayList<>();
      int parts = ValueBytes.countIn(in, Integer.BYTES);
      for (int j = 0; j < parts; j++) {
        fields.add(ValueBytes.readText(in));
      }
      lanes.add(Lane.ofFields(fields));
    }
    int length = ValueBytes.countIn(in, 1);
    int begin = in.position();
    in.position(begin + length);
    return new WrittenAnswer(key, times, lanes, columns, in.slice(begin, length));
  }
}
