package dev.warmshelf.journal;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.postgres.analysis.ColumnKinds;
import java.sql.Array;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.TreeMap;
import org.jspecify.annotations.Nullable;

/**
 * The tables whose every change is noted at a moment: those whose triggers are there and always
 * enabled, all alike, on themselves and on each partition or child, none of which is unlogged or
 * written by a subscription.
 *
 * @param tables by lane
 */
record Coverage(Map<Lane, Table> tables) {
  static final Coverage NONE = new Coverage(Map.of());

  /** The journal's triggers, one row a table: always enabled, for statements, after them. */
  private static final String FIRED =
      """
      SELECT g.tgrelid, min(encode(g.tgargs, 'hex')) AS args,
             bit_or(g.tgtype) & 60 = 60 AND count(DISTINCT g.tgargs) = 1 AS complete,
             string_agg(g.oid || ' ' || g.xmin || ' ' || p.xmin, ',' ORDER BY g.oid) AS print
      FROM pg_trigger g
           JOIN pg_proc p ON p.oid = g.tgfoid
           JOIN pg_namespace s ON s.oid = p.pronamespace
      WHERE s.nspname = 'warm_shelf' AND g.tgenabled = 'A' AND g.tgtype & 3 = 0
      GROUP BY g.tgrelid
      """;

  /** Every table that has such triggers, is a partition or child, or has some. */
  private static final String ASK =
      """
      SELECT c.oid, s.nspname, c.relname, i.parents, decode(f.args, 'hex'), f.print,
             coalesce(f.complete, false) AND c.relpersistence = 'p' AND c.relkind IN ('r', 'p')
               AND NOT EXISTS (SELECT FROM pg_subscription_rel r WHERE r.srrelid = c.oid),
             CASE WHEN f.tgrelid IS NOT NULL AND i.inhrelid IS NULL THEN %s END
      FROM pg_class c
           JOIN pg_namespace s ON s.oid = c.relnamespace
           LEFT JOIN (%s) f ON f.tgrelid = c.oid
           LEFT JOIN (SELECT inhrelid, array_agg(inhparent::bigint) AS parents
                      FROM pg_inherits GROUP BY inhrelid) i ON i.inhrelid = c.oid
      WHERE f.tgrelid IS NOT NULL OR i.inhrelid IS NOT NULL
      """
          .formatted(ColumnKinds.OF_C, FIRED);

  /**
   * One line that differs once anything that the coverage is worked out from may have changed, for
   * a fraction of what that costs. A table's file node changes when a column gets a type whose
   * values are written otherwise.
   */
  private static final String PRINT =
      """
      SELECT concat_ws(' ',
        (SELECT sum(hash_record_extended(
                      ROW(g.oid, g.xmin, g.tgrelid, g.tgtype, g.tgenabled, p.xmin), 0))
         FROM pg_trigger g
              JOIN pg_proc p ON p.oid = g.tgfoid
              JOIN pg_namespace s ON s.oid = p.pronamespace
         WHERE s.nspname = 'warm_shelf'),
        (SELECT sum(hash_record_extended(ROW(i.inhrelid, i.inhparent, i.inhdetachpending), 0)) FROM pg_inherits i),
        (SELECT sum(hash_record_extended(ROW(r.srsubid, r.srrelid), 0))
         FROM pg_subscription_rel r),
        (SELECT sum(hash_record_extended(
                      ROW(c.oid, c.relname, s.nspname, c.relkind, c.relpersistence,
                          c.relfilenode), 0))
         FROM pg_class c JOIN pg_namespace s ON s.oid = c.relnamespace
         WHERE c.relhastriggers))
      """;

  /**
   * @param made what its triggers were made with
   * @param columns by which changes are told apart, the preferred one first
   * @param print differs once any of the triggers has been touched
   */
  record Table(TriggerArguments made, Map<String, ColumnKind> columns, List<String> print) {}

  /** A table as the catalogue has it. */
  private record Relation(
      Lane lane,
      @Nullable TriggerArguments made,
      @Nullable String print,
      boolean complete,
      Map<String, ColumnKind> kinds) {}

  static String printOf(Connection connection) throws SQLException {
    // Prepared, since planning it costs more than running it, and it is asked twice a second.
    try (PreparedStatement statement = connection.prepareStatement(PRINT);
        ResultSet row = statement.executeQuery()) {
      row.next();
      return row.getString(1);
    }
  }

  static Coverage ask(Connection connection) throws SQLException {
    Map<Long, Relation> relations = new HashMap<>();
    Map<Long, List<Long>> children = new HashMap<>();
    List<Long> roots = new ArrayList<>();
    try (Statement statement = connection.createStatement();
        ResultSet rows = statement.executeQuery(ASK)) {
      while (rows.next()) {
        long oid = rows.getLong(1);
        Array parents = rows.getArray(4);
        if (parents == null) {
          roots.add(oid);
        } else {
          for (Long parent : (Long[]) parents.getArray()) {
            children.computeIfAbsent(parent, p -> new ArrayList<>()).add(oid);
          }
        }
        relations.put(oid, relation(rows));
      }
    }
    Map<Lane, Table> tables = new TreeMap<>();
    for (Long root : roots) {
      Relation top = Objects.requireNonNull(relations.get(root));
      List<Relation> members = new ArrayList<>();
      addMembers(root, relations, children, members);
      Table table = tableOf(top, members);
      if (table != null) {
        tables.put(top.lane(), table);
      }
    }
    return new Coverage(Collections.unmodifiableMap(tables));
  }

  private static Relation relation(ResultSet row) throws SQLException {
    byte[] arguments = row.getBytes(5);
    return new Relation(
        Lane.ofTable(row.getString(2), row.getString(3)),
        arguments == null ? null : TriggerArguments.parse(arguments),
        row.getString(6),
        row.getBoolean(7),
        ColumnKinds.read(row.getArray(8)));
  }

  private static void addMembers(
      Long oid,
      Map<Long, Relation> relations,
      Map<Long, List<Long>> children,
      List<Relation> members) {
    Relation relation = relations.get(oid);
    if (relation != null) {
      members.add(relation);
      for (Long child : children.getOrDefault(oid, List.of())) {
        addMembers(child, relations, children, members);
      }
    }
  }

  /** The table if its every change is noted, and under its own name. */
  private static @Nullable Table tableOf(Relation top, List<Relation> members) {
    TriggerArguments made = top.made();
    if (made == null || !made.lane().equals(top.lane().written())) {
      return null; // renamed, or put in another's place: its changes go by another name
    }
    List<String> prints = new ArrayList<>();
    for (Relation member : members) {
      if (!member.complete() || !made.equals(member.made())) {
        return null;
      }
      prints.add(member.lane().written() + " " + member.print());
    }
    Map<String, ColumnKind> apart = new LinkedHashMap<>();
    made.tracked()
        .forEach(
            (column, madeFor) -> {
              if (madeFor.plain().equals(top.kinds().get(column))) {
                apart.put(column, madeFor);
              }
            });
    Collections.sort(prints);
    return new Table(made, Collections.unmodifiableMap(apart), List.copyOf(prints));
  }

  /**
   * How to read what the journal has of a table.
   *
   * @param print of what the trigger was made with that wrote it
   * @return null if it was made with something else than the table's triggers are now
   */
  @Nullable TriggerArguments madeWith(Lane table, String print) {
    Table known = tables.get(table);
    return known != null && TriggerText.shapeOf(known.made()).equals(print) ? known.made() : null;
  }

  boolean covers(Lane table) {
    return tables.containsKey(table);
  }

  Map<String, ColumnKind> columns(Lane table) {
    Table known = tables.get(table);
    return known == null ? Map.of() : known.columns();
  }
}
