package dev.warmshelf.statement;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import java.util.Map;

/** By which of its columns the changes of a table are told apart. */
@FunctionalInterface
public interface TrackedColumns {
  /** By none: every answer depends on whole tables. */
  TrackedColumns NOTHING = table -> Map.of();

  /** The columns of this table, in the engineer's order. */
  Map<String, ColumnKind> columns(Lane table);

  /** Whether lanes may be read from the answer too. */
  default boolean byAnswers() {
    return true;
  }

  /** The same, but no lanes are read from answers. */
  default TrackedColumns byQuestionsAlone() {
    TrackedColumns whole = this;
    return new TrackedColumns() {
      @Override
      public Map<String, ColumnKind> columns(Lane table) {
        return whole.columns(table);
      }

      @Override
      public boolean byAnswers() {
        return false;
      }
    };
  }
}
