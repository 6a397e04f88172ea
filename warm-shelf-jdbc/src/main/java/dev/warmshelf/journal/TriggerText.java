package dev.warmshelf.journal;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.postgres.ColumnKinds;
import dev.warmshelf.postgres.SqlText;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;

/**
 * The triggers of one followed table as SQL: one function, and four statement triggers on the table
 * and on each of its partitions or children.
 *
 * <p>The function must never break the program's own write, whatever becomes of the columns that it
 * was written for; then it notes the change at large.
 */
final class TriggerText {
  /** A statement that changes more rows than this counts as at large. */
  static final int MOST_ROWS = 1_000;

  /** So does one whose rows are in more groups. */
  static final int MOST_TOLD = 256;

  /** What happens, and the transition tables (manual, CREATE TRIGGER) that show it. */
  private record Event(String name, List<String> tables, String referencing) {}

  private static final List<Event> EVENTS =
      List.of(
          new Event("INSERT", List.of("new_rows"), "REFERENCING NEW TABLE AS new_rows"),
          new Event(
              "UPDATE",
              List.of("old_rows", "new_rows"),
              "REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows"),
          new Event("DELETE", List.of("old_rows"), "REFERENCING OLD TABLE AS old_rows"),
          new Event("TRUNCATE", List.of(), ""));

  private final Lane lane;
  private final Map<String, ColumnKind> columns;
  private final boolean notifies;

  /**
   * @param columns to tell changes apart by, the preferred one first
   * @param notifies whether to wake readers
   */
  TriggerText(Lane lane, Map<String, ColumnKind> columns, boolean notifies) {
    this.lane = lane;
    this.columns = columns;
    this.notifies = notifies;
  }

  /** The function's name tells nothing; names of tables may be longer than names may be. */
  private String function() {
    return "warm_shelf.note_" + Long.toHexString(lane.hash());
  }

  String functionText() {
    StringBuilder looks = new StringBuilder();
    for (Event event : EVENTS) {
      looks.append(
          "    %s TG_OP = '%s' THEN\n%s"
              .formatted(looks.isEmpty() ? "IF" : "ELSIF", event.name(), look(event)));
    }
    return """
        CREATE OR REPLACE FUNCTION %1$s() RETURNS trigger
        LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS %2$s;
        REVOKE ALL ON FUNCTION %1$s() FROM PUBLIC;
        COMMENT ON FUNCTION %1$s() IS %3$s;
        """
        .formatted(
            function(),
            SqlText.body(body(looks.toString())),
            SqlText.literal("Notes changes of " + lane.name() + " for those who follow them."));
  }

  /** What the function does, given what it looks at for each kind of change. */
  private String body(String looks) {
    return """

        DECLARE
          seen bigint := 0;
          told text[] := '{}';
          groups text[];
          one text;
        BEGIN
          IF %3$s < date_part('epoch', clock_timestamp()) THEN
            RETURN NULL; -- nobody has followed for so long that whoever comes begins anew
          END IF;
          BEGIN
        %1$s    END IF;
          EXCEPTION WHEN OTHERS THEN -- such as a column that is gone
            told := NULL;
          END;
          IF seen = 0 AND told IS NOT NULL THEN
            RETURN NULL; -- no row changed
          END IF;
          INSERT INTO warm_shelf.journal (lane, kind, told) VALUES (TG_ARGV[0], TG_OP, told);
        %2$s  RETURN NULL;
        END
        """
        .formatted(
            looks, notifies ? "  PERFORM pg_notify('warm_shelf', '');\n" : "", Journal.READ_UNTIL);
  }

  /**
   * Gathers the groups of the rows that were changed. A loop, since most statements change a row or
   * two, and an aggregate costs more than both.
   */
  private String look(Event event) {
    if (event.tables().isEmpty()) {
      return "      told := NULL;\n";
    }
    if (columns.isEmpty()) {
      // Not told apart: only whether there are any rows matters.
      return "      IF EXISTS (SELECT FROM %s) THEN told := NULL; END IF;\n"
          .formatted(event.tables().get(event.tables().size() - 1));
    }
    List<String> groups = new ArrayList<>();
    columns.forEach(
        (column, kind) ->
            groups.add(
                SqlText.literal(column + "=")
                    + " || "
                    + ColumnKinds.textOf(kind, "r." + SqlText.identifier(column))));
    String rows =
        event.tables().stream()
            .map(table -> "SELECT ARRAY[" + String.join(", ", groups) + "] FROM " + table + " r")
            .collect(Collectors.joining("\n                    UNION ALL "));
    return """
              FOR groups IN %s LOOP
                seen := seen + 1;
                FOREACH one IN ARRAY groups LOOP
                  IF one IS NOT NULL AND one <> ALL (told) THEN
                    told := told || one;
                  END IF;
                END LOOP;
                IF seen > %d OR cardinality(told) > %d THEN
                  told := NULL; -- too many to tell apart
                  EXIT;
                END IF;
              END LOOP;
        """
        .formatted(rows, MOST_ROWS * event.tables().size(), MOST_TOLD);
  }

  /** The triggers on one table, in place of what was there. */
  String triggersText(String schema, String table) {
    String name = SqlText.identifier(schema, table);
    List<String> arguments = new ArrayList<>();
    arguments.add(SqlText.literal(lane.written()));
    // With the kind that the function was written for: a column may get another type one day.
    columns.forEach(
        (column, kind) -> arguments.add(SqlText.literal(TriggerArguments.column(column, kind))));
    StringBuilder text = new StringBuilder();
    text.append("DROP TRIGGER IF EXISTS warm_shelf_change ON %s;\n".formatted(name));
    for (Event event : EVENTS) {
      String trigger = "warm_shelf_" + event.name().toLowerCase(java.util.Locale.ROOT);
      text.append(
          """
          DROP TRIGGER IF EXISTS %1$s ON %2$s;
          CREATE TRIGGER %1$s AFTER %3$s ON %2$s %4$s
            FOR EACH STATEMENT EXECUTE FUNCTION %5$s(%6$s);
          ALTER TABLE %2$s ENABLE ALWAYS TRIGGER %1$s;
          """
              .formatted(
                  trigger,
                  name,
                  event.name(),
                  event.referencing(),
                  function(),
                  String.join(", ", arguments)));
    }
    return text.toString();
  }
}
