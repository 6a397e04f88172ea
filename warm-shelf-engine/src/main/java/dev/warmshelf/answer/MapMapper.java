package dev.warmshelf.answer;

import dev.warmshelf.shelf.MappingException;
import java.util.Collections;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/** Makes of each row an unmodifiable map from column label to value, in the columns' order. */
final class MapMapper implements Mapper<Map<String, @Nullable Object>> {
  @Override
  public Function<@Nullable Object[], Map<String, @Nullable Object>> on(List<String> columns) {
    if (new HashSet<>(columns).size() < columns.size()) {
      throw new MappingException(
          "Two columns have the same label in " + columns + ". Rename one of them with AS.");
    }
    return row -> {
      Map<String, @Nullable Object> map = new LinkedHashMap<>();
      for (int i = 0; i < row.length; i++) {
        map.put(columns.get(i), Values.own(row[i]));
      }
      return Collections.unmodifiableMap(map);
    };
  }

  @Override
  public List<String> columns() {
    throw noWayBack();
  }

  @Override
  public @Nullable Object[] row(Map<String, @Nullable Object> object) {
    throw noWayBack();
  }

  @Override
  public boolean makesImmutable(boolean bytes) {
    return !bytes;
  }

  private static MappingException noWayBack() {
    return new MappingException(
        "An answer cannot be made from maps, which do not say their columns' types. Ask for a"
            + " record.");
  }
}
