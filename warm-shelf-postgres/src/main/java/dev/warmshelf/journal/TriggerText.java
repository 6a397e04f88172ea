package dev.warmshelf.journal;

import dev.warmshelf.lane.Lane;
import dev.warmshelf.postgres.analysis.ColumnKinds;
import dev.warmshelf.postgres.analysis.SqlText;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;

/**
 * The triggers of one followed table as SQL: one function, and four statement triggers on the table
 * and on each of its partitions or children.
 *
 * <p>The function must never break the program's own write, whatever becomes of the columns that it
 * was written for; then it notes the change at large. And it must cost little: most statements
 * change one row, which one query looks at, without a loop. The blocks that catch errors write
 * nothing, so they draw no transaction number.
 *
 * <p><b>Whose names?</b> The function runs with its owner's rights and with its caller's search
 * path, since to set one at each call costs a tenth of what it takes. So it must not leave one name
 * to that path: each function, operator and type stands with its schema, and there is no construct
 * that looks up an operator by itself ({@code IS DISTINCT FROM}, {@code BETWEEN}, {@code IN}).
 *
 * <p><b>Whose types?</b> The table's owner may give a column another type after this was made, with
 * casts and operators of his own. So nothing is done with a column's value but what can be done
 * with any: it is written by its type's output function, sent by its type's, and compared byte by
 * byte.
 */
final class TriggerText {
  /** A statement that changes more rows than this counts as at large. */
  static final int MOST_ROWS = 1_000;

  /** So does one whose rows differ in more ways. */
  static final int MOST_TOLD = 256;

  /** What happens, and the transition tables (manual, CREATE TRIGGER) that show it. */
  private record Event(String name, String referencing) {}

  private static final List<Event> EVENTS =
      List.of(
          new Event("INSERT", "REFERENCING NEW TABLE AS new_rows"),
          new Event("UPDATE", "REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows"),
          new Event("DELETE", "REFERENCING OLD TABLE AS old_rows"),
          new Event("TRUNCATE", ""));

  private static final String BODY =
      """

      DECLARE
        rows_before pg_catalog.text[];
        rows_after pg_catalog.text[];
        alike pg_catalog.bool[];
        seen pg_catalog.int8;
        many pg_catalog.int8;
      BEGIN
        IF %1$s OPERATOR(pg_catalog.<)
           pg_catalog.date_part('epoch', pg_catalog.clock_timestamp()) THEN
          RETURN NULL; -- nobody has followed for so long that whoever comes begins anew
        END IF;
        BEGIN -- one row
          IF TG_OP OPERATOR(pg_catalog.=) 'UPDATE' THEN
            %2$s
          ELSIF TG_OP OPERATOR(pg_catalog.=) 'INSERT' THEN
            %3$s
          ELSIF TG_OP OPERATOR(pg_catalog.=) 'DELETE' THEN
            %4$s
          END IF;
        EXCEPTION
          WHEN NO_DATA_FOUND OR TOO_MANY_ROWS THEN
            BEGIN
      %5$s        IF seen OPERATOR(pg_catalog.=) 0 THEN
                RETURN NULL; -- no row changed
              END IF;
            EXCEPTION WHEN OTHERS THEN
              rows_before := NULL;
              rows_after := NULL;
              alike := NULL;
            END;
          WHEN OTHERS THEN -- such as a column that is gone
            rows_before := NULL;
            rows_after := NULL;
            alike := NULL;
        END;
        INSERT INTO warm_shelf.journal (lane, kind, shape, rows_before, rows_after, alike)
        VALUES (%6$s, TG_OP, '%7$s', rows_before, rows_after, alike);
      %8$s  RETURN NULL;
      END
      """;

  private final Lane lane;
  private final TableShape shape;
  private final TriggerArguments arguments;
  private final boolean notifies;

  /**
   * @param notifies whether to wake readers
   */
  TriggerText(Lane lane, TableShape shape, boolean notifies) {
    this.lane = lane;
    this.shape = shape;
    this.notifies = notifies;
    List<String> compared = List.copyOf(shape.compared().keySet());
    this.arguments = new TriggerArguments(lane.written(), shape.tracked(), compared);
  }

  /**
   * By what a row of the journal says how it is to be read: what the trigger was made with, and in
   * which way values are written. A program of another version that does not know the way takes
   * such a change for one of the whole table.
   */
  static String shapeOf(TriggerArguments made) {
    return Journal.VERSION + (made.isHidden() ? "#" : "") + "-" + made.print();
  }

  /** The function's name tells nothing; names of tables may be longer than names may be. */
  private String function() {
    return "warm_shelf.note_" + Long.toHexString(lane.hash());
  }

  String functionText() {
    return """
        CREATE OR REPLACE FUNCTION %1$s() RETURNS trigger
        LANGUAGE plpgsql SECURITY DEFINER AS %2$s;
        REVOKE ALL ON FUNCTION %1$s() FROM PUBLIC;
        COMMENT ON FUNCTION %1$s() IS %3$s;
        DO $owner$
        BEGIN
          IF (SELECT rolsuper FROM pg_roles WHERE rolname = current_user) THEN
            ALTER FUNCTION %1$s() OWNER TO warm_shelf;
          END IF;
        END
        $owner$;
        """
        .formatted(
            function(),
            SqlText.body(body()),
            SqlText.literal("Notes changes of " + lane.name() + " for those who follow them."));
  }

  private String body() {
    return BODY.formatted(
        Journal.READ_UNTIL,
        updated(),
        one("rows_after", "new_rows"),
        one("rows_before", "old_rows"),
        several(),
        SqlText.literal(lane.written()),
        shapeOf(arguments),
        notifies ? "  PERFORM pg_catalog.pg_notify('warm_shelf', '');\n" : "");
  }

  /** What one row was and is; fails unless one was updated. */
  private String updated() {
    List<String> wanted = new ArrayList<>();
    List<String> into = new ArrayList<>();
    if (!shape.tracked().isEmpty()) {
      wanted.add("ARRAY[" + values("o") + "]");
      wanted.add("ARRAY[" + values("n") + "]");
      into.add("rows_before");
      into.add("rows_after");
    }
    wanted.add(
        shape.compared().isEmpty()
            ? "NULL"
            : "ARRAY[" + String.join(", ", shape.compared().values()) + "]");
    into.add("alike");
    return "SELECT %s INTO STRICT %s FROM old_rows o, new_rows n;"
        .formatted(String.join(", ", wanted), String.join(", ", into));
  }

  /** The row that came or went; fails unless one did. */
  private String one(String variable, String rows) {
    return shape.tracked().isEmpty()
        ? "SELECT 1 INTO STRICT seen FROM %s;".formatted(rows)
        : "SELECT ARRAY[%s] INTO STRICT %s FROM %s r;".formatted(values("r"), variable, rows);
  }

  /** What many rows were and are, or that they are too many to tell; null where they are not. */
  private String several() {
    return """
              seen := 0;
              IF TG_OP OPERATOR(pg_catalog.<>) 'INSERT' THEN
        %1$s      END IF;
              IF TG_OP OPERATOR(pg_catalog.<>) 'DELETE' THEN
        %2$s      END IF;
        """
            .formatted(versions("rows_before", "old_rows"), versions("rows_after", "new_rows"))
        + alike();
  }

  /** Each version of a row that looks alike once. */
  private String versions(String variable, String rows) {
    String counted =
        """
                many := (SELECT pg_catalog.count(*) FROM (SELECT FROM %s LIMIT %d) r);
                seen := seen OPERATOR(pg_catalog.+) many;
        """
            .formatted(rows, MOST_ROWS + 1);
    if (shape.tracked().isEmpty()) {
      return counted;
    }
    return counted
        + """
                IF many OPERATOR(pg_catalog.<=) %1$d THEN
                  SELECT pg_catalog.array_agg(d.version) INTO %2$s
                  FROM (SELECT DISTINCT %3$s AS version FROM %4$s r LIMIT %5$d) d;
                  IF pg_catalog.array_length(%2$s, 1) OPERATOR(pg_catalog.>) %6$d THEN
                    %2$s := NULL;
                  END IF;
                END IF;
        """
            .formatted(MOST_ROWS, variable, values("r"), rows, MOST_TOLD + 1, MOST_TOLD);
  }

  /** What of many rows is in each what it was; nothing where a row has no old one. */
  private String alike() {
    if (shape.key().isEmpty() || shape.compared().isEmpty()) {
      return "";
    }
    String same = key("o") + " OPERATOR(pg_catalog.=) " + key("n");
    String first = SqlText.identifier(shape.key().get(0));
    return """
              IF TG_OP OPERATOR(pg_catalog.=) 'UPDATE' AND seen OPERATOR(pg_catalog.<=) %1$d THEN
                SELECT CASE WHEN pg_catalog.bool_and(o.%2$s IS NOT NULL AND n.%2$s IS NOT NULL)
                            THEN ARRAY[%3$s] END
                INTO alike FROM old_rows o FULL JOIN new_rows n ON %4$s;
              END IF;
        """
        .formatted(
            2 * MOST_ROWS,
            first,
            shape.compared().values().stream()
                .map(alike -> "pg_catalog.bool_and(" + alike + ")")
                .collect(Collectors.joining(", ")),
            same);
  }

  /** A row's primary key, as it is sent. */
  private String key(String of) {
    return shape.key().stream()
        .map(column -> of + "." + SqlText.identifier(column))
        .collect(Collectors.joining(", ", "pg_catalog.record_send(ROW(", "))"));
  }

  /** A version of a row, by its tracked columns. */
  private String values(String of) {
    List<String> texts = new ArrayList<>();
    shape
        .tracked()
        .forEach(
            (column, kind) ->
                texts.add(ColumnKinds.textOf(kind, of + "." + SqlText.identifier(column))));
    return "ARRAY[" + String.join(", ", texts) + "]";
  }

  /**
   * The triggers on one table, in place of what was there. In few commands: after each that changes
   * the table, all sessions look through all their plans.
   */
  String triggersText(String schema, String table) {
    String name = SqlText.identifier(schema, table);
    List<String> literals = arguments.written().stream().map(SqlText::literal).toList();
    List<String> enabled = new ArrayList<>();
    StringBuilder text = new StringBuilder();
    text.append("DROP TRIGGER IF EXISTS warm_shelf_change ON %s;\n".formatted(name));
    for (Event event : EVENTS) {
      String trigger = "warm_shelf_" + event.name().toLowerCase(java.util.Locale.ROOT);
      text.append(
          """
          CREATE OR REPLACE TRIGGER %1$s AFTER %3$s ON %2$s %4$s
            FOR EACH STATEMENT EXECUTE FUNCTION %5$s(%6$s);
          """
              .formatted(
                  trigger,
                  name,
                  event.name(),
                  event.referencing(),
                  function(),
                  String.join(", ", literals)));
      enabled.add("ENABLE ALWAYS TRIGGER " + trigger);
    }
    text.append("ALTER TABLE %s %s;\n".formatted(name, String.join(", ", enabled)));
    return text.toString();
  }
}
