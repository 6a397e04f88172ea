package dev.warmshelf.journal;

import dev.warmshelf.key.Lane;
import dev.warmshelf.key.ValueKind;
import dev.warmshelf.postgres.ColumnKinds;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.TreeMap;

/**
 * The tables whose every change is noted at a moment: those whose triggers are there and always
 * enabled, all alike, on themselves and on each partition or child.
 *
 * @param tables by lane
 */
record Coverage(Map<Lane, Table> tables) {
  static final Coverage NONE = new Coverage(Map.of());

  /** Statement triggers do not fire for rows that a subscription applies (manual, 29.8). */
  private static final String ASK =
      """
      WITH RECURSIVE fired AS (
        SELECT g.tgrelid, g.tgargs, string_agg(g.oid || ' ' || g.xmin || ' ' || p.xmin, ','
                                               ORDER BY g.oid) AS print
        FROM pg_trigger g
             JOIN pg_proc p ON p.oid = g.tgfoid
             JOIN pg_namespace s ON s.oid = p.pronamespace AND s.nspname = 'warm_shelf'
        WHERE g.tgenabled = 'A' AND g.tgtype & 3 = 0
          AND NOT EXISTS (SELECT FROM pg_subscription_rel r WHERE r.srrelid = g.tgrelid)
        GROUP BY g.tgrelid, g.tgargs
        HAVING bit_or(g.tgtype) & 60 = 60
      ), tree(root, member) AS (
        SELECT c.oid, c.oid FROM pg_class c JOIN fired f ON f.tgrelid = c.oid
        WHERE c.relkind IN ('r', 'p')
          AND NOT EXISTS (SELECT FROM pg_inherits i WHERE i.inhrelid = c.oid)
        UNION ALL
        SELECT t.root, i.inhrelid FROM tree t JOIN pg_inherits i ON i.inhparent = t.member
      )
      SELECT s.nspname, c.relname, (array_agg(f.tgargs))[1],
             md5(string_agg(t.member || ' ' || f.print, ';' ORDER BY t.member)),
             %s
      FROM tree t
           JOIN pg_class c ON c.oid = t.root
           JOIN pg_namespace s ON s.oid = c.relnamespace
           LEFT JOIN fired f ON f.tgrelid = t.member
      GROUP BY c.oid, s.nspname, c.relname
      HAVING count(*) = count(f.tgrelid) AND count(DISTINCT f.tgargs) = 1
      """
          .formatted(ColumnKinds.OF_C);

  /**
   * @param columns by which changes are told apart, the preferred one first
   * @param print differs once any of the triggers has been touched
   */
  record Table(Map<String, ValueKind> columns, String print) {}

  static Coverage ask(Connection connection) throws SQLException {
    Map<Lane, Table> tables = new TreeMap<>();
    try (Statement statement = connection.createStatement();
        ResultSet rows = statement.executeQuery(ASK)) {
      while (rows.next()) {
        Lane lane = Lane.ofTable(rows.getString(1), rows.getString(2));
        TriggerArguments made = TriggerArguments.parse(rows.getBytes(3));
        if (!made.lane().equals(lane.name())) {
          continue; // renamed, or put in another's place: its changes go by another name
        }
        Map<String, ValueKind> kinds = ColumnKinds.read(rows.getArray(5));
        Map<String, ValueKind> apart = new LinkedHashMap<>();
        made.columns()
            .forEach(
                (column, madeFor) -> {
                  ValueKind kind = kinds.get(column);
                  if (kind != null && madeFor.equals(kind.name())) {
                    apart.put(column, kind);
                  }
                });
        tables.put(lane, new Table(Collections.unmodifiableMap(apart), rows.getString(4)));
      }
    }
    return new Coverage(Collections.unmodifiableMap(tables));
  }

  boolean covers(Lane table) {
    return tables.containsKey(table);
  }

  Map<String, ValueKind> columns(Lane table) {
    Table known = tables.get(table);
    return known == null ? Map.of() : known.columns();
  }
}
