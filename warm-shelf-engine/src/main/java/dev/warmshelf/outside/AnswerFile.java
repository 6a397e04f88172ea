package dev.warmshelf.outside;

import dev.warmshelf.answer.ValueBytes;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.spi.feed.FeedPlace;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.zip.CRC32C;

/**
 * A file of kept answers as {@link AnswerFileWriter} wrote it, in memory. Each byte is checked when
 * it is read; answers are made again when they are asked for.
 *
 * @param head what stands before the answers
 * @param answers by form, each as its bytes; {@link #answer} reads them
 * @param columns by number
 */
public record AnswerFile(
    FileHead head, Map<WrittenForm, List<ByteBuffer>> answers, List<ByteBuffer> columns) {
  private static final int LEAST_BLOCK = 9;

  /**
   * Reads a file.
   *
   * @param program as {@link FileHead#program} must be
   * @param atMost so many bytes are read; a larger one is refused
   * @throws AnswerFileException if it is damaged, or another program's
   * @throws IOException if it cannot be read
   */
  public static AnswerFile read(Path file, String program, long atMost)
      throws IOException, AnswerFileException {
    RegularFile.require(file);
    long size = Files.size(file);
    if (size > Math.min(atMost, Integer.MAX_VALUE - 8)) {
      throw new AnswerFileException("it has " + size + " bytes, which is more than are read");
    }
    ByteBuffer in = ByteBuffer.wrap(Files.readAllBytes(file)).asReadOnlyBuffer();
    byte[] magic = AnswerFileWriter.MAGIC.getBytes(StandardCharsets.US_ASCII);
    if (in.remaining() < magic.length
        || !in.slice(0, magic.length).equals(ByteBuffer.wrap(magic))) {
      throw new AnswerFileException("it is no file of kept answers of this version's format");
    }
    in.position(magic.length);
    try {
      return read(in, program);
    } catch (RuntimeException e) { // whatever its bytes lead to
      throw new AnswerFileException("it is damaged", e);
    }
  }

  private static AnswerFile read(ByteBuffer in, String program) throws AnswerFileException {
    FileHead head = head(expect(in, 'H'));
    if (!head.program().equals(program)) {
      throw new AnswerFileException(
          "it was written by " + head.program() + ", and this is " + program);
    }
    Map<WrittenForm, List<ByteBuffer>> answers = new LinkedHashMap<>();
    List<List<ByteBuffer>> byNumber = new ArrayList<>();
    List<ByteBuffer> columns = new ArrayList<>();
    int count = 0;
    while (true) {
      char type = (char) in.get(in.position());
      ByteBuffer body = expect(in, type);
      switch (type) {
        case 'F' -> {
          List<ByteBuffer> none = new ArrayList<>();
          byNumber.add(none);
          answers.put(form(body), none);
        }
        case 'C' -> columns.add(body);
        case 'A' -> {
          byNumber.get(body.getInt()).add(body);
          count++;
        }
        case 'Z' -> {
          if (body.getInt() != count || in.hasRemaining()) {
            throw new AnswerFileException("its end is missing");
          }
          return new AnswerFile(head, answers, columns);
        }
        default -> throw new AnswerFileException("it is damaged");
      }
    }
  }

  /** The body of the next block, which must be of a type. */
  private static ByteBuffer expect(ByteBuffer in, char type) throws AnswerFileException {
    int begin = in.position();
    if (in.remaining() < LEAST_BLOCK || in.get() != type) {
      throw new AnswerFileException("it is damaged");
    }
    int length = ValueBytes.countIn(in, 1);
    ByteBuffer body = in.slice(in.position(), length);
    in.position(in.position() + length);
    CRC32C sum = new CRC32C();
    sum.update(in.slice(begin, in.position() - begin));
    if ((int) sum.getValue() != in.getInt()) {
      throw new AnswerFileException("it is damaged");
    }
    return body;
  }

  private static FileHead head(ByteBuffer in) {
    return new FileHead(
        ValueBytes.readText(in),
        Instant.ofEpochMilli(in.getLong()),
        FeedPlace.ofWritten(ValueBytes.readText(in)));
  }

  private static WrittenForm form(ByteBuffer in) {
    String shelf = ValueBytes.readText(in);
    String namespace = ValueBytes.readText(in);
    String statement = ValueBytes.readText(in);
    KeyShape shape = KeyShape.ofWritten(namespace, statement, in.getInt());
    Map<String, String> prints = new HashMap<>();
    int count = ValueBytes.countIn(in, 2 * Integer.BYTES);
    for (int i = 0; i < count; i++) {
      prints.put(ValueBytes.readText(in), ValueBytes.readText(in));
    }
    return new WrittenForm(shelf, shape, prints);
  }

  /**
   * Reads one of the answers.
   *
   * @throws RuntimeException if it is none
   */
  public WrittenAnswer answer(ByteBuffer written) {
    ByteBuffer in = written.duplicate();
    in.position(Integer.BYTES); // its form's number
    ByteBuffer same = columns.get(in.getInt()).duplicate();
    return WrittenAnswer.read(in, same);
  }
}
