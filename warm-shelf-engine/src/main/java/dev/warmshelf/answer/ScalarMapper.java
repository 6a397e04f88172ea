package dev.warmshelf.answer;

import dev.warmshelf.shelf.MappingException;
import java.util.List;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/** Takes the value of a single column. A null stays null. */
final class ScalarMapper<T> implements Mapper<T> {
  private final Class<T> type;

  ScalarMapper(Class<T> type) {
    Conversion.requireKnown(type, type.getName());
    this.type = type;
  }

  @Override
  @SuppressWarnings({"unchecked", "NullAway"}) // a scalar answer is as nullable as its column
  public Function<@Nullable Object[], T> on(List<String> columns) {
    if (columns.size() != 1) {
      throw new MappingException(
          "A "
              + type.getSimpleName()
              + " is read from an answer of one column, but this one has "
              + columns
              + ". Ask for a record with these components instead.");
    }
    return row -> (T) Conversion.convert(row[0], type, "the answer");
  }

  @Override
  public List<String> columns() {
    return List.of("value");
  }

  @Override
  public @Nullable Object[] row(T object) {
    return new @Nullable Object[] {Conversion.requireImmutable(object, "the answer")};
  }

  @Override
  public boolean makesImmutable(boolean bytes) {
    return !(bytes && Conversion.mayHoldBytes(type));
  }
}
