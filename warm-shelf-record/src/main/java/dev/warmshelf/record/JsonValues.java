package dev.warmshelf.record;

import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.databind.JsonNode;
import dev.warmshelf.key.ValueType;
import java.io.IOException;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import org.jspecify.annotations.Nullable;

/**
 * Parameter values in JSON. Whole numbers, texts, booleans and null are what they are; any other is
 * an object of one member that names its type, as {@code {"date": "2026-05-01"}}.
 */
final class JsonValues {
  private JsonValues() {}

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
    } else if (value instanceof List<?> list) {
      json.writeStartObject();
      json.writeArrayFieldStart("list");
      for (Object element : list) {
        write(json, element);
      }
      json.writeEndArray();
      json.writeEndObject();
    } else {
      ValueType type = ValueType.of(value.getClass());
      String name = type == null ? null : type.jsonName();
      if (type == null || name == null) {
        writeNamed(json, "text", value.toString());
      } else {
        writeNamed(json, name, type.write(value));
      }
    }
  }

  private static void writeNamed(JsonGenerator json, String name, String text) throws IOException {
    json.writeStartObject();
    json.writeStringField(name, text);
    json.writeEndObject();
  }

  /**
   * The value at which the parser stands.
   *
   * @throws IllegalArgumentException if the type is not known or the text is none of it
   * @throws IOException if it is not JSON
   */
  static @Nullable Object read(JsonParser json) throws IOException {
    return switch (json.currentToken()) {
      case VALUE_NULL -> null;
      case VALUE_STRING -> json.getText();
      case VALUE_TRUE -> true;
      case VALUE_FALSE -> false;
      case VALUE_NUMBER_INT -> {
        long number = json.getLongValue();
        if (number == (int) number) {
          yield (int) number;
        }
        yield number;
      }
      default -> read(json.<JsonNode>readValueAsTree());
    };
  }

  private static @Nullable Object read(JsonNode node) {
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
    Set<String> types = new TreeSet<>(List.of("text", "list"));
    for (ValueType type : ValueType.values()) {
      if (type.jsonName() != null) {
        types.add(type.jsonName());
      }
    }
    return types;
  }

  private static Object parsed(String name, String text) {
    ValueType type = ValueType.named(name);
    if (type == null) {
      throw new IllegalArgumentException(
          "'" + name + "' is no type of value; expected one of " + types());
    }
    try {
      return type.parse(text);
    } catch (DateTimeParseException e) {
      throw new IllegalArgumentException(text + " is no " + name, e);
    }
  }
}
