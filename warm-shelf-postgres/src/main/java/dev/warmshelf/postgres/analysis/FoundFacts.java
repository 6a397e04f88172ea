package dev.warmshelf.postgres.analysis;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.postgres.tree.Facts;
import dev.warmshelf.postgres.tree.TreeNode;
import dev.warmshelf.statement.SchemaObject;
import dev.warmshelf.statement.SchemaObject.Kind;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.jspecify.annotations.Nullable;

/**
 * What the catalogue said of one statement's objects: of relations first, and of the types,
 * functions and operators that are nobody's but PostgreSQL's, once the trees have named them.
 */
final class FoundFacts implements Facts {
  /** The relations that a function's statement reads, be it through views. */
  private static final String REACHED =
      """
      WITH RECURSIVE reached(oid) AS (
        SELECT d.refobjid FROM pg_catalog.pg_depend d
        WHERE d.classid = 'pg_proc'::regclass AND d.objid = %1$s
          AND d.refclassid = 'pg_class'::regclass
        UNION
        SELECT d.refobjid
        FROM reached JOIN pg_catalog.pg_rewrite w ON w.ev_class = reached.oid AND w.ev_type = '1'
             JOIN pg_catalog.pg_depend d ON d.classid = 'pg_rewrite'::regclass AND d.objid = w.oid
               AND d.refclassid = 'pg_class'::regclass)
      """;

  private static final String RELATIONS =
      REACHED
          + """
      SELECT c.oid, s.nspname, c.relname, c.relkind, c.relpersistence, c.relrowsecurity,
             ARRAY(WITH RECURSIVE up(oid) AS (
                     SELECT c.oid
                     UNION SELECT i.inhparent FROM up JOIN pg_inherits i ON i.inhrelid = up.oid)
                   SELECT '"' || replace(us.nspname, '"', '""') || '"."'
                          || replace(u.relname, '"', '""') || '"'
                   FROM up JOIN pg_class u ON u.oid = up.oid
                        JOIN pg_namespace us ON us.oid = u.relnamespace
                   WHERE NOT EXISTS (SELECT FROM pg_inherits i WHERE i.inhrelid = up.oid)),
             (SELECT w.ev_action::text FROM pg_rewrite w
              WHERE w.ev_class = c.oid AND w.ev_type = '1' AND c.relkind = 'v'),
             ARRAY(SELECT a.attnum || ' ' || CASE WHEN a.attgenerated = 'v' THEN 1 ELSE 0 END
                          || ' ' || a.attname
                   FROM pg_attribute a WHERE a.attrelid = c.oid AND a.attnum > 0
                     AND NOT a.attisdropped),
             %2$s,
             %3$s,
             ARRAY(WITH RECURSIVE up(oid) AS (
                     SELECT i.inhparent FROM pg_inherits i WHERE i.inhrelid = c.oid
                     UNION SELECT i.inhparent FROM up JOIN pg_inherits i ON i.inhrelid = up.oid)
                   SELECT coalesce(a.attname, '') FROM up
                     JOIN pg_partitioned_table t ON t.partrelid = up.oid
                     CROSS JOIN LATERAL unnest(t.partattrs::int2[]) k(number)
                     LEFT JOIN pg_attribute a ON a.attrelid = up.oid AND a.attnum = k.number)
      FROM reached JOIN pg_class c ON c.oid = reached.oid
           JOIN pg_namespace s ON s.oid = c.relnamespace
      """;

  /** Types and what they are made of. */
  private static final String TYPES =
      """
      WITH RECURSIVE part(type, oid) AS (
        SELECT t.oid, x.oid
        FROM pg_type t CROSS JOIN LATERAL (
          SELECT t.typelem AS oid WHERE t.typelem <> 0
          UNION ALL SELECT t.typbasetype WHERE t.typbasetype <> 0
          UNION ALL SELECT r.rngsubtype FROM pg_range r WHERE t.oid = r.rngtypid
          UNION ALL SELECT r.rngtypid FROM pg_range r WHERE t.oid = r.rngmultitypid
          UNION ALL SELECT a.atttypid FROM pg_attribute a
                    WHERE a.attrelid = t.typrelid AND t.typrelid <> 0 AND a.attnum > 0
                      AND NOT a.attisdropped) x
        WHERE t.oid >= %2$d),
      type(oid) AS (
        SELECT unnest(%1$s) UNION SELECT part.oid FROM type JOIN part ON part.type = type.oid),
      made(oid) AS (SELECT oid FROM type WHERE oid >= %2$d),
      needed(type, oid) AS (
        SELECT t.oid, f.oid::oid
        FROM made JOIN pg_type t ON t.oid = made.oid CROSS JOIN LATERAL (
          SELECT t.typinput UNION ALL SELECT t.typoutput
          UNION ALL SELECT r.rngcanonical FROM pg_range r WHERE r.rngtypid = t.oid
          UNION ALL SELECT r.rngsubdiff FROM pg_range r WHERE r.rngtypid = t.oid
          UNION ALL SELECT m.amproc FROM pg_amproc m
                    WHERE m.amproclefttype = t.oid OR m.amprocrighttype = t.oid
          UNION ALL SELECT k.castfunc FROM pg_cast k
                    WHERE k.castsource = t.oid
                      AND k.casttarget IN ('json'::regtype, 'jsonb'::regtype)) f(oid)
        WHERE f.oid >= %2$d),
      checking(type, oid) AS (
        SELECT made.oid, d.refobjid
        FROM made JOIN pg_constraint k ON k.contypid = made.oid
             JOIN pg_depend d ON d.classid = 'pg_constraint'::regclass AND d.objid = k.oid
               AND d.refclassid = 'pg_proc'::regclass)
      """;

  private static final String TYPE_FACTS =
      TYPES
          + """
      SELECT t.oid, t.typname, t.oid < %2$d AND t.typnamespace = 'pg_catalog'::regnamespace,
             ARRAY(SELECT part.oid::int8 FROM part WHERE part.type = t.oid),
             ARRAY(SELECT n.oid::int8 FROM needed n WHERE n.type = t.oid),
             ARRAY(SELECT n.oid::int8 FROM checking n WHERE n.type = t.oid),
             ARRAY(SELECT k.conbin::text FROM pg_constraint k
                   WHERE k.contypid = t.oid AND k.conbin IS NOT NULL),
             %3$s
      FROM type JOIN pg_type t ON t.oid = type.oid
      """;

  private static final String OPERATOR_FACTS =
      """
      SELECT o.oid, o.oprname, o.oprcode::oid::int8,
             ARRAY(SELECT p.amproc::oid::int8
                   FROM pg_amop m JOIN pg_amproc p ON p.amprocfamily = m.amopfamily
                   WHERE m.amopopr = o.oid AND o.oid >= %2$d),
             %3$s
      FROM pg_operator o WHERE o.oid = ANY (%1$s)
      """;

  /**
   * Functions, those that types and operators bring along, those that the catalogue knows to be run
   * by them, and the parts of aggregates.
   */
  private static final String FUNCTION_FACTS =
      TYPES
          + """
      , function(oid) AS (
        SELECT unnest(%3$s)
        UNION SELECT o.oprcode FROM pg_operator o WHERE o.oid = ANY (%4$s)
        UNION SELECT p.amproc FROM pg_amop m JOIN pg_amproc p ON p.amprocfamily = m.amopfamily
              WHERE m.amopopr = ANY (%4$s) AND m.amopopr >= %2$d
        UNION SELECT oid FROM needed
        UNION SELECT oid FROM checking),
      one(oid) AS (
        SELECT oid FROM function
        UNION SELECT d.refobjid FROM one
                     JOIN pg_depend d ON d.classid = 'pg_proc'::regclass AND d.objid = one.oid
                       AND d.refclassid = 'pg_proc'::regclass),
      each(oid) AS (
        SELECT oid FROM one
        UNION SELECT unnest(ARRAY[a.aggtransfn, a.aggfinalfn, a.aggcombinefn, a.aggserialfn,
                                  a.aggdeserialfn, a.aggmtransfn, a.aggminvtransfn, a.aggmfinalfn])
              FROM one JOIN pg_aggregate a ON a.aggfnoid = one.oid)
      SELECT p.oid, p.proname, s.nspname, oidvectortypes(p.proargtypes), p.provolatile,
             ARRAY[a.aggtransfn, a.aggfinalfn, a.aggcombinefn, a.aggserialfn, a.aggdeserialfn,
                   a.aggmtransfn, a.aggminvtransfn, a.aggmfinalfn]::int8[],
             p.proargdefaults::text,
             %5$s,
             p.prolang IN (12, 13)
      FROM each JOIN pg_proc p ON p.oid = each.oid
           JOIN pg_namespace s ON s.oid = p.pronamespace
           LEFT JOIN pg_aggregate a ON a.aggfnoid = p.oid
      """;

  private static final String COLLATION_FACTS =
      "SELECT l.oid, l.collisdeterministic, %2$s FROM pg_collation l WHERE l.oid = ANY (%1$s)";

  /** Types whose text may be a moment that moves, and arrays and ranges of them. */
  private static final Pattern MOMENTS =
      Pattern.compile("_?(date|time|timetz|timestamp|timestamptz|(date|ts|tstz)(multi)?range)");

  /** Types whose text is the name of something in the catalogue. */
  private static final Pattern NAMES_THINGS =
      Pattern.compile(
          "_?(reg(class|proc|procedure|oper|operator|role|namespace|collation)|aclitem)");

  private static final Relation SYSTEMS = new Relation.Unfollowable("", "a system catalogue", true);

  private final SystemObjects system;
  private final Map<Long, Relation> relations = new HashMap<>();
  private final Map<Long, Function> functions = new HashMap<>();
  private final Map<Long, Operator> operators = new HashMap<>();
  private final Map<Long, Type> types = new HashMap<>();
  private final Set<Long> deterministic = new HashSet<>();
  private final Set<String> asked = new HashSet<>();

  FoundFacts(SystemObjects system) {
    this.system = system;
  }

  /**
   * The question for the relations that a function's statement reads.
   *
   * @param function SQL for the function's number
   */
  static String relationsOf(String function) {
    return RELATIONS.formatted(function, ColumnKinds.OF_C, SchemaPrints.OF_RELATION);
  }

  /**
   * The question for the prints of the roles whose rights a function's statement needs: of whoever
   * asks, and of those whose views it reads through.
   *
   * @param function SQL for the function's number
   */
  static String rolesOf(String function) {
    return SchemaPrints.ofRoles(
        "("
            + REACHED.formatted(function)
            + """
               SELECT current_user::text
               UNION SELECT pg_catalog.pg_get_userbyid(c.relowner)::text
               FROM reached JOIN pg_catalog.pg_class c ON c.oid = reached.oid AND c.relkind = 'v')
              """);
  }

  /** Reads the answer, with the prints that the relations had then. */
  void readRelations(ResultSet row, Map<SchemaObject, String> prints) throws SQLException {
    while (row.next()) {
      relations.put(row.getLong(1), relation(row));
      prints.put(new SchemaObject(Kind.RELATION, row.getString(1)), row.getString(11));
    }
  }

  private static Relation relation(ResultSet row) throws SQLException {
    String name = row.getString(2) + "." + row.getString(3);
    String kind = row.getString(4);
    boolean runsNothing = !row.getBoolean(6) && !kind.equals("v");
    if (row.getLong(1) < SystemObjects.FIRST_OTHER) {
      return SYSTEMS;
    } else if (row.getString(5).equals("t")) {
      return new Relation.Unfollowable(name, "a temporary table", runsNothing);
    } else if (row.getString(5).equals("u")) {
      return new Relation.Unfollowable(
          name, "an unlogged table, which the server empties after a crash", runsNothing);
    } else if (row.getBoolean(6)) {
      return new Relation.Unfollowable(name, "under row-level security", false);
    }
    List<String> roots = Rows.texts(row.getArray(7));
    return switch (kind) {
      case "r", "p" ->
          roots.size() == 1
              ? table(name, Lane.read(roots.get(0)), columns(row), Rows.texts(row.getArray(12)))
              : new Relation.Unfollowable(name, "a child of several tables", true);
      case "v" -> new Relation.View(name, TreeNode.read(row.getString(8)));
      case "m" -> new Relation.Unfollowable(name, "a materialized view", true);
      case "f" -> new Relation.Unfollowable(name, "a foreign table", false);
      case "S" -> new Relation.Unfollowable(name, "a sequence", true);
      default -> new Relation.Unfollowable(name, "a relation of kind '" + kind + "'", false);
    };
  }

  /**
   * @param keys of the partitioned tables above it, an empty name for each expression
   */
  private static Relation table(
      String name, Lane lane, Map<Integer, Column> columns, List<String> keys) {
    Set<String> placing = new HashSet<>(keys);
    if (placing.remove("")) {
      columns.values().forEach(column -> placing.add(column.name()));
    }
    return new Relation.Table(name, lane, columns, Set.copyOf(placing));
  }

  private static Map<Integer, Column> columns(ResultSet row) throws SQLException {
    Map<String, ColumnKind> kinds = ColumnKinds.read(row.getArray(10));
    Map<Integer, Column> columns = new HashMap<>();
    for (String column : Rows.texts(row.getArray(9))) {
      String[] parts = column.split(" ", 3);
      columns.put(
          Integer.valueOf(parts[0]),
          new Column(parts[2], kinds.get(parts[2]), parts[1].equals("1")));
    }
    return columns;
  }

  /** The trees of what functions and types run beside themselves. */
  List<TreeNode> trees() {
    List<TreeNode> trees = new ArrayList<>();
    functions.values().forEach(function -> trees.addAll(function.trees()));
    types.values().forEach(type -> trees.addAll(type.trees()));
    return trees;
  }

  /** Of what trees name, what is not known. */
  Map<Kind, Set<Long>> others(Map<Kind, Set<Long>> named) {
    Map<Kind, Set<Long>> others = new HashMap<>();
    for (Kind kind : List.of(Kind.FUNCTION, Kind.OPERATOR, Kind.TYPE, Kind.COLLATION)) {
      others.put(
          kind,
          named.getOrDefault(kind, Set.of()).stream()
              .filter(oid -> !system.knows(kind, oid) && !asked.contains(kind + " " + oid))
              .collect(Collectors.toCollection(TreeSet::new)));
    }
    others.forEach((kind, oids) -> oids.forEach(oid -> asked.add(kind + " " + oid)));
    return others;
  }

  /** The questions for these objects, in the order in which their answers are read. */
  static List<String> questions(Map<Kind, Set<Long>> others) {
    String types = SchemaPrints.oids(of(others, Kind.TYPE));
    String operators = SchemaPrints.oids(of(others, Kind.OPERATOR));
    String functions = SchemaPrints.oids(of(others, Kind.FUNCTION));
    String collations = SchemaPrints.oids(of(others, Kind.COLLATION));
    long first = SystemObjects.FIRST_OTHER;
    return List.of(
        TYPE_FACTS.formatted(types, first, SchemaPrints.OF_TYPE),
        OPERATOR_FACTS.formatted(operators, first, SchemaPrints.OF_OPERATOR),
        FUNCTION_FACTS.formatted(types, first, functions, operators, SchemaPrints.OF_FUNCTION),
        COLLATION_FACTS.formatted(collations, SchemaPrints.OF_COLLATION));
  }

  private static Collection<Long> of(Map<Kind, Set<Long>> others, Kind kind) {
    return others.getOrDefault(kind, Set.of());
  }

  /** Reads the answers, with the prints that the objects had then. */
  void readOthers(Rows rows, Map<SchemaObject, String> prints) throws SQLException {
    readTypes(rows.next(), prints);
    ResultSet row = rows.next();
    while (row.next()) {
      Set<Long> all = new TreeSet<>(Rows.numbers(row.getArray(4)));
      all.add(row.getLong(3));
      Operator operator = new Operator(row.getString(2), all);
      if (row.getLong(1) < SystemObjects.FIRST_OTHER) {
        system.learn(row.getLong(1), operator);
      } else {
        operators.put(row.getLong(1), operator);
        prints.put(new SchemaObject(Kind.OPERATOR, row.getString(1)), row.getString(5));
      }
    }
    row = rows.next();
    while (row.next()) {
      Function function = function(row);
      if (function.system()) {
        system.learn(row.getLong(1), function);
      } else {
        functions.put(row.getLong(1), function);
        prints.put(new SchemaObject(Kind.FUNCTION, row.getString(1)), row.getString(8));
      }
    }
    row = rows.next();
    while (row.next()) {
      if (row.getBoolean(2)) {
        deterministic.add(row.getLong(1));
      }
      prints.put(new SchemaObject(Kind.COLLATION, row.getString(1)), row.getString(3));
    }
  }

  private static Function function(ResultSet row) throws SQLException {
    String schema = row.getString(3);
    String signature = row.getString(2) + "(" + row.getString(4) + ")";
    boolean systems = row.getLong(1) < SystemObjects.FIRST_OTHER && schema.equals("pg_catalog");
    String defaults = row.getString(7);
    return new Function(
        row.getString(2),
        systems ? signature : schema + "." + signature,
        switch (row.getString(5)) {
          case "i" -> Volatility.IMMUTABLE;
          case "s" -> Volatility.STABLE;
          default -> Volatility.VOLATILE;
        },
        systems,
        row.getBoolean(9),
        Rows.numbers(row.getArray(6)),
        defaults == null || systems ? List.of() : TreeNode.read(defaults));
  }

  private static Type systemType(String name) {
    return new Type(
        name,
        MOMENTS.matcher(name).matches(),
        NAMES_THINGS.matcher(name).matches() ? "a " + name + " is a name in the catalogue" : null,
        Set.of(),
        Set.of(),
        List.of());
  }

  /** A type with all that it is made of. */
  private void readTypes(ResultSet row, Map<SchemaObject, String> prints) throws SQLException {
    Map<Long, Type> alone = new HashMap<>();
    Map<Long, List<Long>> parts = new HashMap<>();
    while (row.next()) {
      if (row.getBoolean(3)) {
        system.learn(row.getLong(1), systemType(row.getString(2)));
        continue;
      }
      prints.put(new SchemaObject(Kind.TYPE, row.getString(1)), row.getString(8));
      parts.put(row.getLong(1), Rows.numbers(row.getArray(4)));
      alone.put(
          row.getLong(1),
          new Type(
              row.getString(2),
              false,
              null,
              new TreeSet<>(Rows.numbers(row.getArray(5))),
              new TreeSet<>(Rows.numbers(row.getArray(6))),
              trees(Rows.texts(row.getArray(7)))));
    }
    for (Long oid : alone.keySet()) {
      Set<Long> whole = new TreeSet<>();
      addParts(oid, parts, whole);
      types.put(oid, together(oid, whole, alone));
    }
  }

  private static List<TreeNode> trees(List<String> texts) {
    return texts.stream().flatMap(text -> TreeNode.read(text).stream()).toList();
  }

  private static void addParts(Long oid, Map<Long, List<Long>> parts, Set<Long> whole) {
    if (whole.add(oid)) {
      parts.getOrDefault(oid, List.of()).forEach(part -> addParts(part, parts, whole));
    }
  }

  private Type together(Long oid, Set<Long> whole, Map<Long, Type> alone) {
    boolean moments = false;
    String refused = null;
    Set<Long> functionsOf = new TreeSet<>();
    Set<Long> checks = new TreeSet<>();
    List<TreeNode> trees = new ArrayList<>();
    for (Long part : whole) {
      Type type = alone.containsKey(part) ? alone.get(part) : system.type(part);
      if (type == null) {
        refused = "type " + part + " is not known";
        continue;
      }
      moments |= type.moments();
      refused = type.refused() == null ? refused : type.refused();
      functionsOf.addAll(type.functions());
      checks.addAll(type.checks());
      trees.addAll(type.trees());
    }
    String name = Objects.requireNonNull(alone.get(oid)).name();
    return new Type(name, moments, refused, functionsOf, checks, trees);
  }

  @Override
  public @Nullable Relation relation(long oid) {
    return oid < SystemObjects.FIRST_OTHER ? SYSTEMS : relations.get(oid);
  }

  @Override
  public @Nullable Function function(long oid) {
    Function known = system.function(oid);
    return known == null ? functions.get(oid) : known;
  }

  @Override
  public @Nullable Operator operator(long oid) {
    Operator known = system.operator(oid);
    return known == null ? operators.get(oid) : known;
  }

  @Override
  public @Nullable Type type(long oid) {
    Type known = system.type(oid);
    return known == null ? types.get(oid) : known;
  }

  @Override
  public boolean isDeterministic(long collation) {
    return collation < SystemObjects.FIRST_OTHER || deterministic.contains(collation);
  }
}
