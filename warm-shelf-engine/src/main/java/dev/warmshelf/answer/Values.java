package dev.warmshelf.answer;

import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/**
 * Kept values with bytes in them. Bytes are the only kept values that could be changed, so whoever
 * is given some gets a copy, also where they stand in lists.
 */
public final class Values {
  private Values() {}

  static boolean holdsBytes(@Nullable Object value) {
    return value instanceof byte[]
        || (value instanceof List<?> list && list.stream().anyMatch(Values::holdsBytes));
  }

  /** The value, or a copy of it if it holds bytes. */
  static @Nullable Object own(@Nullable Object value) {
    if (value instanceof byte[] bytes) {
      return bytes.clone();
    } else if (value instanceof List<?> list && holdsBytes(list)) {
      List<@Nullable Object> copy = new ArrayList<>(list.size());
      list.forEach(element -> copy.add(own(element)));
      return Collections.unmodifiableList(copy);
    }
    return value;
  }

  /** What is equal exactly if the content is. */
  static @Nullable Object comparable(@Nullable Object value) {
    if (value instanceof byte[] bytes) {
      return ByteBuffer.wrap(bytes);
    } else if (value instanceof List<?> list && holdsBytes(list)) {
      return comparable(list.toArray());
    } else if (value instanceof @Nullable Object[] row) {
      return comparable(row);
    }
    return value;
  }

  static List<@Nullable Object> comparable(@Nullable Object[] row) {
    @Nullable Object[] content = new @Nullable Object[row.length];
    for (int i = 0; i < row.length; i++) {
      content[i] = comparable(row[i]);
    }
    return Arrays.asList(content);
  }

  /** Whether two lists have the same rows, in whatever order. */
  public static boolean sameRows(List<@Nullable Object[]> rows, List<@Nullable Object[]> others) {
    if (rows.size() != others.size()) {
      return false;
    }
    boolean inOrder = true;
    for (int i = 0; inOrder && i < rows.size(); i++) {
      inOrder = comparable(rows.get(i)).equals(comparable(others.get(i)));
    }
    return inOrder || counted(rows).equals(counted(others));
  }

  private static Map<Object, Integer> counted(List<@Nullable Object[]> rows) {
    Map<Object, Integer> counts = new HashMap<>();
    for (@Nullable Object[] row : rows) {
      counts.merge(comparable(row), 1, Integer::sum);
    }
    return counts;
  }
}
