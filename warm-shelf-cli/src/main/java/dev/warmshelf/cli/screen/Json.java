package dev.warmshelf.cli.screen;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.ObjectWriter;

/** Output for programs: maps, lists, texts and numbers as JSON. */
public final class Json {
  private static final ObjectMapper MAPPER = new ObjectMapper();

  private Json() {}

  /** On as many lines as a reader likes. */
  public static String indented(Object value) {
    return written(MAPPER.writerWithDefaultPrettyPrinter(), value);
  }

  /** On one line, for those who read lines. */
  public static String onOneLine(Object value) {
    return written(MAPPER.writer(), value);
  }

  private static String written(ObjectWriter writer, Object value) {
    try {
      return writer.writeValueAsString(value);
    } catch (JsonProcessingException e) {
      throw new IllegalStateException(e); // of such values each can be written
    }
  }
}
