package dev.warmshelf.outside;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.answer.UnwritableValueException;
import dev.warmshelf.answer.ValueBytes;
import dev.warmshelf.store.Entry;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.ByteBuffer;
import java.nio.channels.Channels;
import java.nio.channels.FileChannel;
import java.nio.file.FileSystems;
import java.nio.file.Files;
import java.nio.file.OpenOption;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.FileAttribute;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.HashMap;
import java.util.Map;
import java.util.Set;
import java.util.zip.CRC32C;

/**
 * Writes kept answers to a file. It takes the place of an earlier one when it is complete, in one
 * step; whatever happens before that, the earlier one stays. On systems that have such rights, only
 * its owner may read it.
 *
 * <p>The format: {@link #MAGIC}, then blocks of a type (1 byte), a length (4), so many bytes, and
 * the CRC-32C (RFC 3720) of all three. All numbers have their highest byte first. The types: {@code
 * H} the head, {@code C} columns, {@code F} a form, {@code A} an answer, which names a form and
 * columns by their number in the file, and {@code Z} the end, with how many answers there are.
 *
 * <p>Not thread-safe.
 */
public final class AnswerFileWriter implements AutoCloseable {
  /** What each such file begins with; its last two digits are the format's version. */
  static final String MAGIC = "warm shelf answers 01\n";

  private final Path file;
  private final Path unfinished;
  private final long atMost;
  private final FileChannel channel;
  private final OutputStream out;
  private final Map<WrittenForm, Integer> forms = new HashMap<>();
  private final Map<ByteBuffer, Integer> columns = new HashMap<>();
  private long bytes;
  private int answers;

  /**
   * Begins.
   *
   * @param atMost so many bytes are written, about
   * @throws IOException if the file cannot be written
   */
  public AnswerFileWriter(Path file, FileHead head, long atMost) throws IOException {
    this.file = file;
    this.unfinished = file.resolveSibling(file.getFileName() + ".unfinished");
    this.atMost = atMost;
    Files.deleteIfExists(unfinished);
    Set<OpenOption> options = Set.of(StandardOpenOption.CREATE_NEW, StandardOpenOption.WRITE);
    this.channel = FileChannel.open(unfinished, options, ownersAlone());
    this.out = new BufferedOutputStream(Channels.newOutputStream(channel), 1 << 16);
    out.write(MAGIC.getBytes(java.nio.charset.StandardCharsets.US_ASCII));
    block(
        'H',
        data -> {
          ValueBytes.writeText(data, head.program());
          data.writeLong(head.written().toEpochMilli());
          ValueBytes.writeText(data, head.place().written());
        });
  }

  private static FileAttribute<?>[] ownersAlone() {
    return FileSystems.getDefault().supportedFileAttributeViews().contains("posix")
        ? new FileAttribute<?>[] {
          PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------"))
        }
        : new FileAttribute<?>[0];
  }

  private void block(char type, ValueBytes.Part content) throws IOException {
    byte[] body = ValueBytes.bytesOf(content);
    ByteBuffer head = ByteBuffer.allocate(1 + Integer.BYTES);
    head.put((byte) type).putInt(body.length);
    CRC32C sum = new CRC32C();
    sum.update(head.array());
    sum.update(body);
    out.write(head.array());
    out.write(body);
    out.write(ByteBuffer.allocate(Integer.BYTES).putInt((int) sum.getValue()).array());
    bytes += body.length + 9L;
  }

  /**
   * Writes an entry whose value is an {@link Answer}.
   *
   * @param now on the clock by which it was filled
   * @return false if the file is full, or it holds what is not written
   * @throws IOException if the file cannot be written
   */
  public boolean write(WrittenForm form, Entry entry, long now) throws IOException {
    Answer answer = (Answer) entry.value();
    if (answer == null || bytes >= atMost) {
      return false;
    }
    byte[] same;
    byte[] rows;
    try {
      same = ValueBytes.bytesOf(answer::writeColumns);
      rows = ValueBytes.bytesOf(answer::writeRows);
    } catch (UnwritableValueException e) {
      return false;
    }
    int ofForm = numberOf(form);
    int ofColumns = numberOf(same);
    block(
        'A',
        data -> {
          data.writeInt(ofForm);
          data.writeInt(ofColumns);
          WrittenAnswer.write(data, entry, rows, now);
        });
    answers++;
    return true;
  }

  private int numberOf(WrittenForm form) throws IOException {
    Integer known = forms.get(form);
    if (known != null) {
      return known;
    }
    int number = forms.size();
    forms.put(form, number);
    block(
        'F',
        data -> {
          ValueBytes.writeText(data, form.shelf());
          ValueBytes.writeText(data, form.shape().namespace());
          ValueBytes.writeText(data, form.shape().statement());
          data.writeInt(form.shape().normalForm().length());
          data.writeInt(form.prints().size());
          for (Map.Entry<String, String> print : form.prints().entrySet()) {
            ValueBytes.writeText(data, print.getKey());
            ValueBytes.writeText(data, print.getValue());
          }
        });
    return number;
  }

  private int numberOf(byte[] same) throws IOException {
    Integer known = columns.get(ByteBuffer.wrap(same));
    if (known != null) {
      return known;
    }
    int number = columns.size();
    columns.put(ByteBuffer.wrap(same), number);
    block('C', data -> data.write(same));
    return number;
  }

  /**
   * Ends the file, has it on disk, and puts it in the place of the earlier one.
   *
   * @return how many answers it has
   * @throws IOException if that was not possible; the earlier one stays
   */
  public int finish() throws IOException {
    block('Z', data -> data.writeInt(answers));
    out.flush();
    channel.force(true);
    channel.close();
    Files.move(
        unfinished, file, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
    return answers;
  }

  /** Gives up what is not finished. */
  @Override
  public void close() throws IOException {
    channel.close();
    Files.deleteIfExists(unfinished);
  }
}
