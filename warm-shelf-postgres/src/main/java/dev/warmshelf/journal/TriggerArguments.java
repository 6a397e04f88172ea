package dev.warmshelf.journal;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.postgres.analysis.ColumnKinds;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;

/**
 * What a trigger was made with, as {@link TriggerText} writes it and {@code pg_trigger.tgargs}
 * keeps it: each argument ended by a zero byte.
 *
 * @param lane the table's lane, as {@link dev.warmshelf.lane.Lane#written()} has it
 * @param tracked the kind that each tracked column had then, by name, the preferred column first
 * @param compared the columns of which it says whether they were changed, in its order
 */
record TriggerArguments(String lane, Map<String, ColumnKind> tracked, List<String> compared) {
  private static final char KIND_MARK = ':';
  private static final String COMPARED = "COMPARED";

  /** After the kind of a column whose values are hidden. */
  private static final String HIDDEN_MARK = "#";

  /** Keeps the list's copy. */
  TriggerArguments {
    compared = List.copyOf(compared);
  }

  /** As the trigger is given them. */
  List<String> written() {
    List<String> arguments = new ArrayList<>();
    arguments.add(lane);
    tracked.forEach((column, kind) -> arguments.add(column + KIND_MARK + written(kind)));
    compared.forEach(column -> arguments.add(column + KIND_MARK + COMPARED));
    return arguments;
  }

  private static String written(ColumnKind kind) {
    return kind.name() + (kind.digest() == null ? "" : HIDDEN_MARK);
  }

  /** One that is not known is nobody's: such a column tells nothing. */
  private static ColumnKind kind(String lane, String column, String written) {
    try {
      return written.endsWith(HIDDEN_MARK)
          ? hidden(lane, column, ColumnKind.valueOf(written.substring(0, written.length() - 1)))
          : ColumnKind.valueOf(written);
    } catch (IllegalArgumentException e) {
      return ColumnKind.UNKNOWN;
    }
  }

  /** The kind of a table's column whose values are hidden. */
  static ColumnKind hidden(String lane, String column, ColumnKind kind) {
    return ColumnKinds.hidden(lane + "." + column, kind);
  }

  /** Whether its tracked columns' values are hidden. */
  boolean isHidden() {
    return tracked.values().stream().anyMatch(kind -> kind.digest() != null);
  }

  static TriggerArguments parse(byte[] arguments) {
    String[] parts = new String(arguments, StandardCharsets.UTF_8).split("\0", -1);
    Map<String, ColumnKind> tracked = new LinkedHashMap<>();
    List<String> compared = new ArrayList<>();
    for (int i = 1; i < parts.length; i++) {
      int mark = parts[i].lastIndexOf(KIND_MARK); // the last part is empty
      if (mark > 0) {
        String column = parts[i].substring(0, mark);
        String kind = parts[i].substring(mark + 1);
        if (kind.equals(COMPARED)) {
          compared.add(column);
        } else {
          tracked.put(column, kind(parts[0], column, kind));
        }
      }
    }
    return new TriggerArguments(parts[0], tracked, compared);
  }

  /** Tells apart what triggers were made with, so that a row of the journal says how to read it. */
  String print() {
    byte[] all = String.join("\0", written()).getBytes(StandardCharsets.UTF_8);
    return Long.toHexString(UUID.nameUUIDFromBytes(all).getMostSignificantBits());
  }
}
