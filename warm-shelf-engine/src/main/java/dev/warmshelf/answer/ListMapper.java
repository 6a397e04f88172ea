package dev.warmshelf.answer;

import dev.warmshelf.shelf.MappingException;
import java.util.Arrays;
import java.util.Collections;
import java.util.List;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/** Makes of each row an unmodifiable list of its columns' values, whatever they are called. */
final class ListMapper implements Mapper<List<@Nullable Object>> {
  @Override
  public Function<@Nullable Object[], List<@Nullable Object>> on(List<String> columns) {
    return row -> {
      @Nullable Object[] own = new @Nullable Object[row.length];
      Arrays.setAll(own, i -> Values.own(row[i]));
      return Collections.unmodifiableList(Arrays.asList(own));
    };
  }

  @Override
  public List<String> columns() {
    throw noWayBack();
  }

  @Override
  public @Nullable Object[] row(List<@Nullable Object> object) {
    throw noWayBack();
  }

  @Override
  public boolean makesImmutable(boolean bytes) {
    return !bytes;
  }

  private static MappingException noWayBack() {
    return new MappingException(
        "An answer cannot be made from lists, which do not say their columns' names and types. Ask"
            + " for a record.");
  }
}
