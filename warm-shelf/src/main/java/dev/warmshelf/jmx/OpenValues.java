package dev.warmshelf.jmx;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import javax.management.openmbean.ArrayType;
import javax.management.openmbean.CompositeData;
import javax.management.openmbean.CompositeDataSupport;
import javax.management.openmbean.CompositeType;
import javax.management.openmbean.OpenDataException;
import javax.management.openmbean.OpenType;
import javax.management.openmbean.SimpleType;
import org.jspecify.annotations.Nullable;

/**
 * Values that any program can read over JMX, without a class of ours. What is made here is read
 * here, too; nothing is joined into a text to be split again.
 */
public final class OpenValues {
  private OpenValues() {}

  /**
   * Named values as one.
   *
   * @param fields texts, numbers, truth values and arrays of them
   */
  static CompositeData of(String type, Map<String, Object> fields) {
    return of(typeOf(type, fields), fields);
  }

  private static CompositeData of(CompositeType type, Map<String, Object> fields) {
    try {
      return new CompositeDataSupport(type, fields);
    } catch (OpenDataException e) {
      throw new IllegalStateException("A value cannot be shown over JMX.", e);
    }
  }

  private static CompositeType typeOf(String type, Map<String, Object> fields) {
    List<OpenType<?>> types = new ArrayList<>();
    try {
      for (Object value : fields.values()) {
        types.add(typeOf(value));
      }
      String[] names = fields.keySet().toArray(new String[0]);
      return new CompositeType(type, type, names, names, types.toArray(new OpenType<?>[0]));
    } catch (OpenDataException e) {
      throw new IllegalStateException("A value cannot be shown over JMX.", e);
    }
  }

  /** Several of the same names and classes. */
  public static CompositeData[] rows(String type, List<Map<String, Object>> rows) {
    if (rows.isEmpty()) {
      return new CompositeData[0];
    }
    CompositeType all = typeOf(type, rows.get(0));
    return rows.stream().map(row -> of(all, row)).toArray(CompositeData[]::new);
  }

  /**
   * What {@link #rows} has made, by the names' alphabet.
   *
   * @param value of an attribute; null reads as none
   * @throws IllegalArgumentException if it is something else, as of another version's program
   */
  public static List<OpenRow> read(@Nullable Object value) {
    if (value == null) {
      return List.of();
    } else if (!(value instanceof CompositeData[] rows)) {
      throw new IllegalArgumentException(
          "The program shows something else there; it is of another version.");
    } else {
      List<OpenRow> all = new ArrayList<>();
      for (CompositeData row : rows) {
        Map<String, Object> fields = new TreeMap<>();
        for (String name : row.getCompositeType().keySet()) {
          fields.put(name, row.get(name));
        }
        all.add(new OpenRow(fields));
      }
      return all;
    }
  }

  private static OpenType<?> typeOf(Object value) throws OpenDataException {
    if (value instanceof String) {
      return SimpleType.STRING;
    } else if (value instanceof Long) {
      return SimpleType.LONG;
    } else if (value instanceof Integer) {
      return SimpleType.INTEGER;
    } else if (value instanceof Boolean) {
      return SimpleType.BOOLEAN;
    } else if (value instanceof String[]) {
      return new ArrayType<>(1, SimpleType.STRING);
    } else if (value instanceof Long[]) {
      return new ArrayType<>(1, SimpleType.LONG);
    } else if (value instanceof Boolean[]) {
      return new ArrayType<>(1, SimpleType.BOOLEAN);
    }
    throw new IllegalArgumentException(value.getClass() + " is not shown over JMX");
  }
}
