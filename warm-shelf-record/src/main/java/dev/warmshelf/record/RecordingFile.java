package dev.warmshelf.record;

import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.JsonToken;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import dev.warmshelf.shelf.Origin;
import java.io.BufferedReader;
import java.io.EOFException;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Consumer;
import java.util.zip.GZIPInputStream;
import java.util.zip.ZipException;
import org.jspecify.annotations.Nullable;

/** Reads a {@link ShelfRecording} back. */
public final class RecordingFile {
  /** With which each recording begins. */
  private static final String BEGINNING = "{\"recording\":\"warm-shelf\"";

  private static final ObjectMapper JSON = new ObjectMapper();
  private static final int UNTOLD = -1;

  private final Map<Integer, Statement> statements = new HashMap<>();
  private final Reader each;
  private Instant began = Instant.EPOCH;
  private boolean parameters;
  private boolean complete;
  private long questions;
  private long lost;

  private RecordingFile(Reader each) {
    this.each = each;
  }

  /** Is told what a recording has, in about the order in which it happened. */
  public interface Reader {
    /** A question was answered. */
    void question(Question question);

    /** A table has changed. */
    void changed(TableChange change);

    /** A statement's answers depend on these tables, as far as is known by now. */
    void dependsOn(Statement statement, Set<String> tables);

    /**
     * An answer that is loaded next stands on these lanes, and no others.
     *
     * @param key digest of the key, 16 hexadecimal digits
     * @param lanes digests, 16 hexadecimal digits each
     */
    void standsOn(String key, Set<String> lanes);
  }

  /**
   * A change.
   *
   * @param atMicros when the feed told of it, since the recording began
   * @param table as {@link dev.warmshelf.lane.Lane#written()} has it; {@code *} for anything
   * @param kind the database's word; empty if it is not known
   * @param lanes digests of the lanes that it is a change of, 16 hexadecimal digits each; empty if
   *     they were left out
   */
  public record TableChange(long atMicros, String table, String kind, Set<String> lanes) {}

  /**
   * A statement that was asked.
   *
   * @param number in this recording
   * @param shelf the name of the shelf
   * @param digest of its normal form, 16 hexadecimal digits
   * @param sql as the engineer wrote it; empty for values that are no query's
   * @param parameters their names
   */
  public record Statement(
      int number, String shelf, String digest, Optional<String> sql, List<String> parameters) {}

  /**
   * A question.
   *
   * @param atMicros when it was answered, since the recording began
   * @param key digest of the key, 16 hexadecimal digits
   * @param outcome where the answer came from
   * @param loadMicros how long the answer took to load, whoever loaded it
   * @param answer what the answer told of itself; empty if it told nothing
   * @param values of the parameters; empty if they were left out
   */
  public record Question(
      long atMicros,
      Statement statement,
      String key,
      Origin outcome,
      long loadMicros,
      Optional<Told> answer,
      Optional<List<@Nullable Object>> values) {}

  /**
   * What an answer told of itself.
   *
   * @param rows how many it had
   * @param bytes about how much memory it took
   * @param fingerprint 16 hexadecimal digits; equal answers have equal ones
   */
  public record Told(int rows, long bytes, String fingerprint) {}

  /**
   * What a recording is.
   *
   * @param began on the recording machine's clock
   * @param parameters whether it has their values
   * @param questions how many there are
   * @param lost how many more were left out
   * @param complete whether it was closed; otherwise its program ended first, and the last second
   *     or so is missing
   */
  public record Summary(
      Instant began, boolean parameters, long questions, long lost, boolean complete) {}

  /**
   * Reads the questions of a recording, as {@link #read(Path, Reader)} does.
   *
   * @throws IOException if the file cannot be read, or is no recording; the message names the line
   */
  public static Summary read(Path file, Consumer<Question> each) throws IOException {
    return read(
        file,
        new Reader() {
          @Override
          public void question(Question question) {
            each.accept(question);
          }

          @Override
          public void changed(TableChange change) {}

          @Override
          public void dependsOn(Statement statement, Set<String> tables) {}

          @Override
          public void standsOn(String key, Set<String> lanes) {}
        });
  }

  /** A device may have no end, and a pipe lets whoever opens it wait. */
  static void requireFile(Path file) throws IOException {
    if (Files.exists(file) && !Files.isRegularFile(file)) {
      throw new IOException(file + " is a directory, a device or a pipe, not a file.");
    }
  }

  /** Whether a file begins as a recording does, or has been cut off before it could. */
  static boolean begins(Path file) throws IOException {
    try (InputStream in = Files.newInputStream(file);
        BufferedReader lines =
            new BufferedReader(
                new InputStreamReader(new GZIPInputStream(in), StandardCharsets.UTF_8))) {
      char[] first = new char[BEGINNING.length()];
      int read = 0;
      while (read < first.length) {
        int more = lines.read(first, read, first.length - read);
        if (more < 0) {
          return read == 0;
        }
        read += more;
      }
      return BEGINNING.equals(new String(first));
    } catch (EOFException e) {
      return true;
    } catch (ZipException e) {
      return false;
    }
  }

  /**
   * Reads a recording, question by question, in about the order in which they were answered. One
   * that was cut off is read as far as it goes.
   *
   * @throws IOException if the file cannot be read, or is no recording; the message names the line
   */
  public static Summary read(Path file, Reader each) throws IOException {
    requireFile(file);
    RecordingFile reading = new RecordingFile(each);
    int number = 0;
    try (InputStream in = Files.newInputStream(file);
        BufferedReader lines =
            new BufferedReader(
                new InputStreamReader(new GZIPInputStream(in), StandardCharsets.UTF_8))) {
      String line;
      while ((line = lines.readLine()) != null) {
        number++;
        try {
          reading.line(line, number);
        } catch (JsonProcessingException e) {
          if (number > 1 && !lines.ready()) {
            break; // cut off in the middle of a line
          }
          throw new IOException(file + ", line " + number + ": this is not JSON.", e);
        }
      }
    } catch (ZipException e) {
      throw new IOException(file + " is no recording: it is not compressed with gzip.", e);
    } catch (EOFException e) {
      if (number == 0) {
        throw new IOException(file + " is no recording: it is empty.", e);
      }
    } catch (IllegalArgumentException e) {
      throw new IOException(file + ", line " + number + ": " + e.getMessage() + ".", e);
    }
    return new Summary(
        reading.began, reading.parameters, reading.questions, reading.lost, reading.complete);
  }

  private void line(String line, int number) throws IOException {
    if (number > 1 && line.startsWith("[")) {
      try (JsonParser parser = JSON.createParser(line)) {
        question(parser);
      }
      return;
    }
    JsonNode node = JSON.readTree(line);
    if (number == 1) {
      header(node);
    } else if (node.has("statement")) {
      List<String> names = new ArrayList<>();
      node.path("parameters").forEach(name -> names.add(name.asText()));
      Statement statement =
          new Statement(
              node.path("statement").asInt(),
              node.path("shelf").asText(),
              node.path("digest").asText(),
              Optional.ofNullable(node.path("sql").textValue()),
              List.copyOf(names));
      statements.put(statement.number(), statement);
    } else if (node.has("tables")) {
      each.dependsOn(statement(node.path("of").asInt()), texts(node.path("tables")));
    } else if (node.has("changed")) {
      each.changed(
          new TableChange(
              node.path("at").asLong(),
              node.path("changed").asText(),
              node.path("kind").asText(),
              texts(node.path("lanes"))));
    } else if (node.has("key")) {
      each.standsOn(node.path("key").asText(), texts(node.path("lanes")));
    } else if (node.has("ended")) {
      complete = true;
      lost = node.path("lost").asLong();
    } else if (node.has("lost")) {
      lost += node.path("lost").asLong();
    }
    // What else there may be in a later version does not hinder.
  }

  private static Set<String> texts(JsonNode list) {
    Set<String> texts = new TreeSet<>();
    list.forEach(text -> texts.add(text.asText()));
    return texts;
  }

  private Statement statement(int number) {
    Statement statement = statements.get(number);
    if (statement == null) {
      throw new IllegalArgumentException("there is no statement " + number);
    }
    return statement;
  }

  private void header(JsonNode node) {
    if (!node.path("recording").asText().equals("warm-shelf")) {
      throw new IllegalArgumentException("this is no recording of ours");
    }
    if (node.path("version").asInt() != RecordingWriter.VERSION) {
      throw new IllegalArgumentException(
          "the recording is of version "
              + node.path("version")
              + ", but this program reads version "
              + RecordingWriter.VERSION);
    }
    began = Instant.parse(node.path("began").asText());
    parameters = node.path("parameters").asBoolean();
  }

  /** Member by member: a recording has millions of these. */
  private void question(JsonParser json) throws IOException {
    json.nextToken();
    long at = json.nextLongValue(UNTOLD);
    Statement statement = statement(json.nextIntValue(UNTOLD));
    String key = text(json);
    Origin outcome = Outcomes.of(text(json));
    long load = json.nextLongValue(UNTOLD);
    int rows = json.nextIntValue(UNTOLD);
    long bytes = json.nextLongValue(UNTOLD);
    String fingerprint = json.nextTextValue();
    if (fingerprint == null && json.currentToken() != JsonToken.VALUE_NULL) {
      throw new IllegalArgumentException("a question has eight members or nine");
    }
    Optional<List<@Nullable Object>> values = Optional.empty();
    if (json.nextToken() == JsonToken.START_ARRAY) {
      List<@Nullable Object> read = new ArrayList<>();
      while (json.nextToken() != JsonToken.END_ARRAY) {
        read.add(JsonValues.read(json));
      }
      values = Optional.of(Collections.unmodifiableList(read));
    }
    questions++;
    each.question(
        new Question(
            at,
            statement,
            key,
            outcome,
            load,
            fingerprint == null
                ? Optional.empty()
                : Optional.of(new Told(rows, bytes, fingerprint)),
            values));
  }

  private static String text(JsonParser json) throws IOException {
    String text = json.nextTextValue();
    if (text == null) {
      throw new IllegalArgumentException("a question has eight members or nine");
    }
    return text;
  }
}
