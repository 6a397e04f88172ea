package dev.warmshelf.sql;

import dev.warmshelf.key.Lane;
import dev.warmshelf.key.ValueKind;
import java.util.Map;

/** By which of its columns the changes of a table are told apart. */
@FunctionalInterface
public interface TellingApart {
  /** By none: every answer stands on whole tables. */
  TellingApart NOTHING = table -> Map.of();

  /** The columns of this table, in the engineer's order. */
  Map<String, ValueKind> columns(Lane table);

  /** Whether lanes may be read from the answer too. */
  default boolean byAnswers() {
    return true;
  }

  /** The same, but no lanes are read from answers. */
  default TellingApart byQuestionsAlone() {
    TellingApart whole = this;
    return new TellingApart() {
      @Override
      public Map<String, ValueKind> columns(Lane table) {
        return whole.columns(table);
      }

      @Override
      public boolean byAnswers() {
        return false;
      }
    };
  }
}
