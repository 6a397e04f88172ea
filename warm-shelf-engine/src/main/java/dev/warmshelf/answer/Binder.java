package dev.warmshelf.answer;

import java.sql.PreparedStatement;
import java.sql.SQLException;
import org.jspecify.annotations.Nullable;

/** Hands values to a statement's question marks. */
@FunctionalInterface
public interface Binder {
  /**
   * Binds all of them.
   *
   * @param order for each question mark, the index of its value
   * @throws SQLException if the driver does not take one
   */
  void bind(PreparedStatement statement, @Nullable Object[] values, int[] order)
      throws SQLException;
}
