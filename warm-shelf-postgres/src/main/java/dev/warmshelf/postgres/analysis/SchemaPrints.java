package dev.warmshelf.postgres.analysis;

import dev.warmshelf.statement.SchemaObject;
import dev.warmshelf.statement.SchemaObject.Kind;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Collection;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Collectors;

/**
 * For objects of the schema, a line each that differs once a statement that names them may mean
 * something else, give other rows though none was written, or not be allowed any more. What changes
 * often and means nothing, such as a table's size, is not in it.
 *
 * <p>A column's row in the catalogue is another one ({@code xmin}) whenever the column was altered:
 * that tells of {@code ALTER COLUMN ... TYPE ... USING}, which writes all values anew, fires no
 * trigger, and may leave type and name as they were; and of rights on columns.
 */
public final class SchemaPrints {
  private static final String COLUMNS =
      """
      (SELECT string_agg(concat_ws(',', a.attnum, a.xmin, a.attname, a.attgenerated, a.attisdropped,
                                   CASE WHEN a.attgenerated <> '' THEN d.xmin END), ';'
                         ORDER BY a.attnum)
       FROM pg_catalog.pg_attribute a
            LEFT JOIN pg_catalog.pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum
       WHERE a.attrelid = %s AND a.attnum > 0)
      """;

  /**
   * Of the relation c in schema s: whose it is, and who may read it; its columns, its rules, the
   * tables above it and below it. A partition that is being detached is below it no more, for
   * whoever reads (ALTER TABLE ... DETACH PARTITION ... CONCURRENTLY).
   */
  static final String OF_RELATION =
      """
      hashtextextended(concat_ws('|',
        s.nspname, c.relname, c.relkind, c.relpersistence, c.relrowsecurity, c.relowner, c.relacl,
        CASE WHEN c.relkind = 'v' THEN c.reloptions END, %s,
        (SELECT string_agg(w.oid || ' ' || w.xmin, ',' ORDER BY w.oid)
         FROM pg_catalog.pg_rewrite w WHERE w.ev_class = c.oid),
        (WITH RECURSIVE up(oid) AS (
           SELECT c.oid UNION
           SELECT i.inhparent FROM up JOIN pg_catalog.pg_inherits i ON i.inhrelid = up.oid)
         SELECT string_agg(concat_ws(' ', u.oid, u.relname, us.nspname), ',' ORDER BY u.oid)
         FROM up JOIN pg_catalog.pg_class u ON u.oid = up.oid
              JOIN pg_catalog.pg_namespace us ON us.oid = u.relnamespace),
        (WITH RECURSIVE down(oid) AS (
           SELECT c.oid UNION
           SELECT i.inhrelid FROM down JOIN pg_catalog.pg_inherits i ON i.inhparent = down.oid
           WHERE NOT i.inhdetachpending)
         SELECT string_agg(down.oid::text, ',' ORDER BY down.oid) FROM down)), 0)::text
      """
          .formatted(COLUMNS.formatted("c.oid"));

  private static final String RELATION =
      "SELECT 'RELATION', c.oid::text, "
          + OF_RELATION
          + """
             FROM pg_catalog.pg_class c JOIN pg_catalog.pg_namespace s ON s.oid = c.relnamespace
             WHERE c.oid = ANY (%s)
             """;

  /** Of the function p, with a's row if it is an aggregate. */
  static final String OF_FUNCTION = "concat_ws(' ', p.xmin, a.xmin)";

  private static final String FUNCTION =
      "SELECT 'FUNCTION', p.oid::text, "
          + OF_FUNCTION
          + """
             FROM pg_catalog.pg_proc p LEFT JOIN pg_catalog.pg_aggregate a ON a.aggfnoid = p.oid
             WHERE p.oid = ANY (%s)
             """;

  /** Of the operator o, with its places in operator families and what these run. */
  static final String OF_OPERATOR =
      """
      concat_ws(' ', o.xmin,
        (SELECT string_agg(m.oid || ' ' || m.xmin, ',' ORDER BY m.oid)
         FROM pg_catalog.pg_amop m WHERE m.amopopr = o.oid AND o.oid >= 16384),
        (SELECT string_agg(r.oid || ' ' || r.xmin, ',' ORDER BY r.oid)
         FROM pg_catalog.pg_amop m JOIN pg_catalog.pg_amproc r ON r.amprocfamily = m.amopfamily
         WHERE m.amopopr = o.oid AND o.oid >= 16384))
      """;

  private static final String OPERATOR =
      "SELECT 'OPERATOR', o.oid::text, "
          + OF_OPERATOR
          + " FROM pg_catalog.pg_operator o WHERE o.oid = ANY (%s)";

  /** Of the type t: its labels, its checks, its casts, how it is compared, and its parts. */
  static final String OF_TYPE =
      """
      hashtextextended(concat_ws('|', t.xmin,
        (SELECT string_agg(e.oid || ' ' || e.xmin, ',' ORDER BY e.oid)
         FROM pg_catalog.pg_enum e WHERE e.enumtypid = t.oid),
        (SELECT string_agg(k.oid || ' ' || k.xmin, ',' ORDER BY k.oid)
         FROM pg_catalog.pg_constraint k WHERE k.contypid = t.oid),
        (SELECT string_agg(k.oid || ' ' || k.xmin, ',' ORDER BY k.oid)
         FROM pg_catalog.pg_cast k WHERE k.castsource = t.oid OR k.casttarget = t.oid),
        (SELECT string_agg(r.oid || ' ' || r.xmin, ',' ORDER BY r.oid)
         FROM pg_catalog.pg_amproc r WHERE r.amproclefttype = t.oid OR r.amprocrighttype = t.oid),
        (SELECT string_agg(q.oid || ' ' || q.xmin, ',' ORDER BY q.oid)
         FROM pg_catalog.pg_opclass q WHERE q.opcintype = t.oid),
        %s), 0)::text
      """
          .formatted(COLUMNS.formatted("t.typrelid"));

  private static final String TYPE =
      "SELECT 'TYPE', t.oid::text, "
          + OF_TYPE
          + " FROM pg_catalog.pg_type t WHERE t.oid = ANY (%s)";

  /** Of the collation l. */
  static final String OF_COLLATION = "l.xmin::text";

  private static final String COLLATION =
      "SELECT 'COLLATION', l.oid::text, "
          + OF_COLLATION
          + " FROM pg_catalog.pg_collation l WHERE l.oid = ANY (%s)";

  /**
   * All that can be called by a name, but what is temporary; who may look into its schema, and run
   * it: an object in a schema that one may not use is none of that name.
   */
  private static final String NAME =
      """
      SELECT 'NAME', n.name, hashtextextended(concat_ws('|',
        (SELECT string_agg(concat_ws(' ', c.oid, s.nspname, s.nspowner, s.nspacl), ','
                           ORDER BY c.oid)
         FROM pg_catalog.pg_class c JOIN pg_catalog.pg_namespace s ON s.oid = c.relnamespace
         WHERE c.relname = n.name AND c.relkind IN ('r', 'p', 'v', 'm', 'f', 'S', 'c')
           AND c.relpersistence <> 't'),
        (SELECT string_agg(concat_ws(' ', p.oid, p.proowner, p.proacl,
                                     s.nspname, s.nspowner, s.nspacl), ',' ORDER BY p.oid)
         FROM pg_catalog.pg_proc p JOIN pg_catalog.pg_namespace s ON s.oid = p.pronamespace
         WHERE p.proname = n.name AND s.nspname NOT LIKE 'pg\\_temp\\_%%'),
        (SELECT string_agg(concat_ws(' ', o.oid, s.nspname, s.nspowner, s.nspacl), ','
                           ORDER BY o.oid)
         FROM pg_catalog.pg_operator o JOIN pg_catalog.pg_namespace s ON s.oid = o.oprnamespace
         WHERE o.oprname = n.name),
        (SELECT string_agg(concat_ws(' ', t.oid, s.nspname, s.nspowner, s.nspacl), ','
                           ORDER BY t.oid)
         FROM pg_catalog.pg_type t JOIN pg_catalog.pg_namespace s ON s.oid = t.typnamespace
         WHERE t.typname = n.name AND s.nspname NOT LIKE 'pg\\_temp\\_%%')), 0)::text
      FROM unnest(%s) n(name)
      """;

  /**
   * Of roles: what they and those are that they belong to. Who owns a database is said of all,
   * since a role of the system's stands for that (pg_database_owner).
   */
  private static final String ROLE =
      """
      SELECT 'ROLE', n.name, hashtextextended(concat_ws('|',
        (SELECT d.datdba FROM pg_catalog.pg_database d WHERE d.datname = current_database()),
        (WITH RECURSIVE up(oid) AS (
           SELECT r.oid FROM pg_catalog.pg_roles r WHERE r.rolname = n.name
           UNION
           SELECT m.roleid FROM up JOIN pg_catalog.pg_auth_members m ON m.member = up.oid)
         SELECT string_agg(concat_ws(' ', r.oid, r.rolsuper, r.rolinherit,
                  (SELECT string_agg(concat_ws('-', m.roleid, m.xmin), ','
                                     ORDER BY m.roleid, m.grantor)
                   FROM pg_catalog.pg_auth_members m WHERE m.member = r.oid)), ';' ORDER BY r.oid)
         FROM up JOIN pg_catalog.pg_roles r ON r.oid = up.oid)), 0)::text
      FROM %s n(name)
      """;

  private static final String TEXT_SEARCH =
      """
      SELECT 'TEXT_SEARCH', '', concat_ws(' ',
        (SELECT sum(hashtext(c.oid || ' ' || c.xmin)) FROM pg_catalog.pg_ts_config c),
        (SELECT sum(hashtext(concat_ws(' ', m.mapcfg, m.maptokentype, m.mapseqno, m.mapdict)))
         FROM pg_catalog.pg_ts_config_map m),
        (SELECT sum(hashtext(d.oid || ' ' || d.xmin)) FROM pg_catalog.pg_ts_dict d))
      """;

  private SchemaPrints() {}

  /**
   * The prints of these objects as they are now. One that is gone has none.
   *
   * @throws SQLException if the database could not be asked
   */
  public static Map<SchemaObject, String> ask(
      Connection connection, Collection<SchemaObject> objects) throws SQLException {
    if (objects.isEmpty()) {
      return Map.of();
    }
    try (Rows rows = Rows.ask(connection, question(objects))) {
      return read(rows.next());
    }
  }

  static Map<SchemaObject, String> read(ResultSet row) throws SQLException {
    Map<SchemaObject, String> prints = new HashMap<>();
    while (row.next()) {
      prints.put(
          new SchemaObject(Kind.valueOf(row.getString(1)), row.getString(2)), row.getString(3));
    }
    return prints;
  }

  /**
   * The question for the prints of roles.
   *
   * @param names SQL for a table of them, as texts
   */
  static String ofRoles(String names) {
    return ROLE.formatted(names);
  }

  /** The question for their prints. */
  static String question(Collection<SchemaObject> objects) {
    Map<Kind, List<String>> byKind = new EnumMap<>(Kind.class);
    objects.forEach(
        object ->
            byKind.computeIfAbsent(object.kind(), kind -> new ArrayList<>()).add(object.key()));
    List<String> parts = new ArrayList<>();
    new TreeMap<>(byKind).forEach((kind, keys) -> parts.add(part(kind, keys)));
    return parts.isEmpty()
        ? "SELECT NULL, NULL, NULL WHERE false"
        : String.join(" UNION ALL ", parts);
  }

  private static String part(Kind kind, List<String> keys) {
    return switch (kind) {
      case RELATION -> RELATION.formatted(oids(keys));
      case FUNCTION -> FUNCTION.formatted(oids(keys));
      case OPERATOR -> OPERATOR.formatted(oids(keys));
      case TYPE -> TYPE.formatted(oids(keys));
      case COLLATION -> COLLATION.formatted(oids(keys));
      case NAME -> NAME.formatted(texts(keys));
      case ROLE -> ofRoles("unnest(" + texts(keys) + ")");
      case TEXT_SEARCH -> TEXT_SEARCH;
    };
  }

  private static String texts(List<String> keys) {
    return keys.stream()
        .map(SqlText::literal)
        .collect(Collectors.joining(", ", "ARRAY[", "]::text[]"));
  }

  static String oids(Collection<?> numbers) {
    return "'{"
        + numbers.stream().map(String::valueOf).collect(Collectors.joining(","))
        + "}'::oid[]";
  }
}
