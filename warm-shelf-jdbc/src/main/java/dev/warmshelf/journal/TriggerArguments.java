package dev.warmshelf.journal;

import dev.warmshelf.lane.Lane;
import java.nio.charset.StandardCharsets;
import java.util.LinkedHashMap;
import java.util.Map;

/**
 * What a trigger was made with, as {@link TriggerText} writes it and {@code pg_trigger.tgargs}
 * keeps it: each argument ended by a zero byte.
 *
 * @param lane the table's lane, as {@link Lane#written()} has it
 * @param columns the kind that each column had then, by name, the preferred column first
 */
record TriggerArguments(String lane, Map<String, String> columns) {
  private static final char KIND_MARK = ':';

  /** One column as an argument. */
  static String column(String name, Enum<?> kind) {
    return name + KIND_MARK + kind.name();
  }

  static TriggerArguments parse(byte[] arguments) {
    String[] parts = new String(arguments, StandardCharsets.UTF_8).split("\0", -1);
    Map<String, String> columns = new LinkedHashMap<>();
    for (int i = 1; i < parts.length; i++) {
      int mark = parts[i].lastIndexOf(KIND_MARK); // the last part is empty
      if (mark > 0) {
        columns.put(parts[i].substring(0, mark), parts[i].substring(mark + 1));
      }
    }
    return new TriggerArguments(parts[0], columns);
  }
}
