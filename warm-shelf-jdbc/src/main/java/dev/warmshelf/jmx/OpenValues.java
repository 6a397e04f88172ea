package dev.warmshelf.jmx;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import javax.management.openmbean.ArrayType;
import javax.management.openmbean.CompositeData;
import javax.management.openmbean.CompositeDataSupport;
import javax.management.openmbean.CompositeType;
import javax.management.openmbean.OpenDataException;
import javax.management.openmbean.OpenType;
import javax.management.openmbean.SimpleType;

/** Values that any program can read over JMX, without a class of ours. */
final class OpenValues {
  private OpenValues() {}

  /**
   * Named values as one.
   *
   * @param fields texts, numbers, truth values and arrays of texts
   */
  static CompositeData of(String type, Map<String, Object> fields) {
    List<OpenType<?>> types = new ArrayList<>();
    try {
      for (Object value : fields.values()) {
        types.add(typeOf(value));
      }
      String[] names = fields.keySet().toArray(new String[0]);
      CompositeType all =
          new CompositeType(type, type, names, names, types.toArray(new OpenType<?>[0]));
      return new CompositeDataSupport(all, fields);
    } catch (OpenDataException e) {
      throw new IllegalStateException("A value cannot be shown over JMX.", e);
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
    }
    throw new IllegalArgumentException(value.getClass() + " is not shown over JMX");
  }
}
