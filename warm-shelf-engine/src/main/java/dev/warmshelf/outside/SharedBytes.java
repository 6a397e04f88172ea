package dev.warmshelf.outside;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.answer.UnwritableValueException;
import dev.warmshelf.answer.ValueBytes;
import dev.warmshelf.store.Entry;
import java.io.ByteArrayOutputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.zip.CRC32C;
import org.jspecify.annotations.Nullable;

/**
 * One answer by itself, for another process: a version (1 byte), the digest of its form (32), up to
 * where all changes are in it, its columns, the answer as {@link WrittenAnswer} has it, and the
 * CRC-32C (RFC 3720) of all that. All numbers have their highest byte first.
 *
 * @param reached of the feed's place that its answer covers
 * @param answer itself
 */
public record SharedBytes(String reached, WrittenAnswer answer) {
  private static final byte VERSION = 1;
  private static final int FORM_BYTES = 32;

  /**
   * Writes an entry whose value is an {@link Answer}.
   *
   * @param form the digest of its form
   * @param now on the clock by which it was filled
   * @return null if it holds what is not written
   */
  public static byte @Nullable [] write(byte[] form, String reached, Entry entry, long now) {
    Answer answer = (Answer) entry.value();
    if (answer == null) {
      return null;
    }
    try {
      ByteArrayOutputStream bytes = new ByteArrayOutputStream();
      DataOutputStream data = new DataOutputStream(bytes);
      data.writeByte(VERSION);
      data.write(form, 0, FORM_BYTES);
      ValueBytes.writeText(data, reached);
      ValueBytes.writeBytes(data, ValueBytes.bytesOf(answer::writeColumns));
      WrittenAnswer.write(data, entry, ValueBytes.bytesOf(answer::writeRows), now);
      CRC32C sum = new CRC32C();
      sum.update(bytes.toByteArray());
      data.writeInt((int) sum.getValue());
      return bytes.toByteArray();
    } catch (UnwritableValueException e) {
      return null;
    } catch (IOException e) {
      throw new IllegalStateException("memory can be written", e);
    }
  }

  /**
   * Reads it.
   *
   * @param form the digest that it must be of
   * @return null if it is none, is damaged, or is of another form or version
   */
  public static @Nullable SharedBytes read(byte[] form, ByteBuffer bytes) {
    ByteBuffer whole = bytes.slice();
    int end = whole.remaining() - Integer.BYTES;
    if (end < 1 + FORM_BYTES
        || whole.get(0) != VERSION
        || !whole.slice(1, FORM_BYTES).equals(ByteBuffer.wrap(form))) {
      return null;
    }
    CRC32C sum = new CRC32C();
    sum.update(whole.slice(0, end));
    if ((int) sum.getValue() != whole.getInt(end)) {
      return null;
    }
    try {
      ByteBuffer in = whole.slice(1 + FORM_BYTES, end - 1 - FORM_BYTES);
      String reached = ValueBytes.readText(in);
      ByteBuffer columns = ByteBuffer.wrap(ValueBytes.readBytes(in));
      return new SharedBytes(reached, WrittenAnswer.read(in, columns));
    } catch (RuntimeException e) { // whatever the bytes lead to
      return null;
    }
  }
}
