package dev.warmshelf.record;

import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.OffsetTime;
import java.time.ZonedDateTime;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.Base64;
import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.UUID;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * Parameter values in JSON. Whole numbers, texts, booleans and null are what they are; any other is
 * an object of one member that names its type, as {@code {"date": "2026-05-01"}}.
 */
final class Values {
  private static final Map<Class<?>, String> NAMES = new LinkedHashMap<>();
  private static final Map<String, Function<String, Object>> READERS = new LinkedHashMap<>();

  static {
    of(BigDecimal.class, "decimal", BigDecimal::new);
    of(BigInteger.class, "whole", BigInteger::new);
    of(Double.class, "double", Double::valueOf);
    of(Float.class, "float", Float::valueOf);
    of(LocalDate.class, "date", LocalDate::parse);
    of(LocalDateTime.class, "datetime", LocalDateTime::parse);
    of(LocalTime.class, "time", LocalTime::parse);
    of(OffsetDateTime.class, "offset-datetime", OffsetDateTime::parse);
    of(OffsetTime.class, "offset-time", OffsetTime::parse);
    of(ZonedDateTime.class, "zoned-datetime", ZonedDateTime::parse);
    of(Instant.class, "instant", Instant::parse);
    of(UUID.class, "uuid", UUID::fromString);
  }

  private Values() {}

  private static void of(Class<?> type, String name, Function<String, Object> reader) {
    NAMES.put(type, name);
    READERS.put(name, reader);
  }

  static void write(JsonGenerator json, @Nullable Object value) throws IOException {
    if (value == null) {
      json.writeNull();
    } else if (value instanceof String text) {
      json.writeString(text);
    } else if (value instanceof Boolean truth) {
      json.writeBoolean(truth);
    } else if (value instanceof Long
        || value instanceof Integer
        || value instanceof Short
        || value instanceof Byte) {
      json.writeNumber(((Number) value).longValue());
    } else if (value instanceof byte[] bytes) {
      writeNamed(json, "bytes", Base64.getEncoder().encodeToString(bytes));
    } else if (value instanceof List<?> list) {
      json.writeStartObject();
      json.writeArrayFieldStart("list");
      for (Object element : list) {
        write(json, element);
      }
      json.writeEndArray();
      json.writeEndObject();
    } else {
      writeNamed(json, NAMES.getOrDefault(value.getClass(), "text"), value.toString());
    }
  }

  private static void writeNamed(JsonGenerator json, String name, String text) throws IOException {
    json.writeStartObject();
    json.writeStringField(name, text);
    json.writeEndObject();
  }

  /**
   * @throws IllegalArgumentException if the type is not known or the text is none of it
   */
  static @Nullable Object read(JsonNode node) {
    if (node.isNull()) {
      return null;
    } else if (node.isTextual()) {
      return node.textValue();
    } else if (node.isBoolean()) {
      return node.booleanValue();
    } else if (node.isInt()) {
      return node.intValue();
    } else if (node.isLong()) {
      return node.longValue();
    }
    Iterator<Map.Entry<String, JsonNode>> members = node.properties().iterator();
    if (!members.hasNext()) {
      throw new IllegalArgumentException(node + " is no value");
    }
    Map.Entry<String, JsonNode> only = members.next();
    String text = only.getValue().asText();
    return switch (only.getKey()) {
      case "bytes" -> Base64.getDecoder().decode(text);
      case "text" -> text;
      case "list" -> {
        List<@Nullable Object> list = new ArrayList<>();
        only.getValue().forEach(element -> list.add(read(element)));
        yield list;
      }
      default -> parsed(only.getKey(), text);
    };
  }

  /** The types that a value may name. */
  static Set<String> types() {
    Set<String> types = new TreeSet<>(READERS.keySet());
    types.addAll(List.of("bytes", "text", "list"));
    return types;
  }

  private static Object parsed(String type, String text) {
    Function<String, Object> reader = READERS.get(type);
    if (reader == null) {
      throw new IllegalArgumentException(
          "'" + type + "' is no type of value; expected one of " + types());
    }
    try {
      return reader.apply(text);
    } catch (DateTimeParseException e) {
      throw new IllegalArgumentException(text + " is no " + type, e);
    }
  }
}
