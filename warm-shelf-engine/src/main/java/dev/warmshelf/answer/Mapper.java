package dev.warmshelf.answer;

import dev.warmshelf.shelf.MappingException;
import java.util.List;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * Makes a caller's object from a kept row ({@code Mappers} has them). Thread-safe.
 *
 * @param <T> what a row becomes
 */
public interface Mapper<T> {
  /**
   * What maps rows of these columns.
   *
   * @throws MappingException if the columns do not fit the type; the function, if a value does not
   */
  Function<@Nullable Object[], T> on(List<String> columns);

  /** The columns of a row that {@link #row} makes. */
  List<String> columns();

  /**
   * The way back: a row from a caller's object.
   *
   * @throws MappingException if the object holds what could be changed later
   */
  @Nullable Object[] row(T object);

  /**
   * Whether the objects made can be shared between callers.
   *
   * @param bytes whether the rows hold arrays of bytes
   */
  boolean makesImmutable(boolean bytes);
}
