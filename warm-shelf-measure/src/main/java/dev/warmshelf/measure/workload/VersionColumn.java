package dev.warmshelf.measure.workload;

import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/**
 * Says which column of a statement's rows holds the version of what.
 *
 * @param of the kind of thing that has the version
 * @param id where its identity stands
 * @param version the column with its version, a whole number that only grows
 * @param over what the version of one thing is, where several rows show it
 */
public record VersionColumn(String of, Identity id, String version, Over over) {
  /** How the versions of several rows make one. */
  public enum Over {
    /** The newest of them. */
    MAX,
    /** All of them together: it grows if any of them does. */
    SUM
  }

  /** Where the identity of a thing stands. */
  public record Identity(Kind kind, String name) {
    /** What the identity is. */
    public enum Kind {
      COLUMN,
      INPUT,
      CONSTANT
    }

    String of(Map<?, ?> row, Map<String, Object> inputs) {
      return switch (kind) {
        case COLUMN -> String.valueOf(required(row, name));
        case INPUT -> String.valueOf(inputs.get(name));
        case CONSTANT -> name;
      };
    }
  }

  /**
   * Adds what these rows show to the versions seen.
   *
   * @param rows maps by label
   */
  public void read(List<?> rows, Map<String, Object> inputs, Map<VersionedThing, Long> versions) {
    for (Object each : rows) {
      if (each instanceof Map<?, ?> row && required(row, version) instanceof Number number) {
        versions.merge(
            new VersionedThing(of, id.of(row, inputs)),
            number.longValue(),
            over == Over.SUM ? Long::sum : Math::max);
      }
    }
  }

  private static @Nullable Object required(Map<?, ?> row, String column) {
    if (!row.containsKey(column)) {
      throw new IllegalArgumentException(
          "The workload says that versions stand in the column '"
              + column
              + "', but the statement gives "
              + row.keySet()
              + ".");
    }
    return row.get(column);
  }
}
