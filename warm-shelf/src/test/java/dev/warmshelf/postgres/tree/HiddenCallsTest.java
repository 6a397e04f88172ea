package dev.warmshelf.postgres.tree;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.TestDatabase;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.postgres.analysis.Asker;
import dev.warmshelf.statement.Analysis;
import dev.warmshelf.statement.Refusal;
import dev.warmshelf.statement.Refusal.Reason;
import dev.warmshelf.statement.SqlStatement;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;

/**
 * A call can hide anywhere in a tree. {@code hidden.sql} hides one in each place that there is, so
 * that leaving out any field of any node lets one through.
 */
class HiddenCallsTest {
  private static final String FUNCTIONS =
      """
      CREATE FUNCTION hid(int) RETURNS int VOLATILE LANGUAGE plpgsql AS 'BEGIN RETURN $1; END';
      CREATE FUNCTION hidden_text(int) RETURNS text VOLATILE LANGUAGE plpgsql AS 'BEGIN RETURN $1; END';
      CREATE FUNCTION make(int) RETURNS pair IMMUTABLE LANGUAGE sql AS 'SELECT ROW($1, NULL)::pair';
      CREATE FUNCTION many(int) RETURNS int[] IMMUTABLE LANGUAGE sql AS 'SELECT ARRAY[$1]';
      CREATE FUNCTION hidden_row(int) RETURNS pair VOLATILE LANGUAGE plpgsql AS 'BEGIN RETURN NULL; END';
      CREATE FUNCTION less(int, int) RETURNS bool VOLATILE LANGUAGE plpgsql AS 'BEGIN RETURN $1 < $2; END';
      CREATE FUNCTION adds(int, int) RETURNS int VOLATILE LANGUAGE plpgsql AS 'BEGIN RETURN $1 + $2; END';
      CREATE AGGREGATE sums(int) (SFUNC = adds, STYPE = int);
      CREATE FUNCTION eq(int, int) RETURNS bool IMMUTABLE LANGUAGE sql AS 'SELECT $1 = $2';
      CREATE FUNCTION cmp(int, int) RETURNS int IMMUTABLE LANGUAGE sql AS 'SELECT $1 - $2';
      CREATE OPERATOR <# (LEFTARG = int, RIGHTARG = int, FUNCTION = less);
      CREATE OPERATOR =# (LEFTARG = int, RIGHTARG = int, FUNCTION = eq);
      CREATE OPERATOR CLASS other_ints FOR TYPE int USING btree AS
        OPERATOR 1 <#, OPERATOR 3 =#, FUNCTION 1 cmp(int, int);
      CREATE TYPE shout AS (a int);
      CREATE FUNCTION to_shout(int) RETURNS shout VOLATILE LANGUAGE plpgsql AS 'BEGIN RETURN NULL; END';
      CREATE CAST (int AS shout) WITH FUNCTION to_shout(int);
      CREATE TABLE lists (ids int[]);
      """;

  /**
   * Fields whose nodes say how things are called or sorted by the server's own operators, repeat
   * what is entered elsewhere, or are entered whatever the grammar says.
   */
  private static final Set<String> NO_CALLS =
      Set.of(
          "AGGREF.aggdistinct",
          "COMMONTABLEEXPR.cycle_clause",
          "COMMONTABLEEXPR.search_clause",
          "JOINEXPR.alias",
          "QUERY.constraintDeps",
          "QUERY.distinctClause",
          "QUERY.groupClause",
          "QUERY.groupingSets",
          "QUERY.rtable",
          "QUERY.rteperminfos",
          "RANGETBLENTRY.subquery",
          "QUERY.setOperations",
          "GROUPINGFUNC.args",
          "RANGETBLENTRY.alias",
          "RANGETBLENTRY.eref",
          "RANGETBLENTRY.join_using_alias",
          "SETOPERATIONSTMT.larg",
          "SETOPERATIONSTMT.rarg",
          "SETOPERATIONSTMT.groupClauses",
          "WINDOWCLAUSE.partitionClause",
          "GROUPINGSET.content");

  private static final Map<String, String> BODIES = new LinkedHashMap<>();
  private static final Set<Long> VOLATILE = new TreeSet<>();
  private static final Map<Long, Long> OPERATORS = new LinkedHashMap<>();
  private static final Map<Long, List<Long>> PARTS = new LinkedHashMap<>();

  @BeforeAll
  static void read() throws Exception {
    try (Connection connection = TestDatabase.create().dataSource().getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(resource("statements-schema.sql"));
      statement.execute(FUNCTIONS);
      Asker asker = new Asker(connection);
      for (String sql : SqlStatement.split(resource("hidden.sql"))) {
        Refusal refusal = Objects.requireNonNull(asker.ask(sql).analysis().refusal(), sql);
        assertThat(refusal.reason()).as(sql + refusal).isEqualTo(Reason.VOLATILE_FUNCTION);
        BODIES.put(sql, body(connection, sql));
      }
      numbers(
          statement, "SELECT oid, 0 FROM pg_proc WHERE provolatile = 'v' AND oid >= 16384", true);
      numbers(statement, "SELECT oid, oprcode::oid FROM pg_operator WHERE oid >= 16384", false);
      try (ResultSet row =
          statement.executeQuery(
              "SELECT aggfnoid::oid, aggtransfn::oid FROM pg_aggregate WHERE aggfnoid >= 16384")) {
        while (row.next()) {
          PARTS.put(row.getLong(1), List.of(row.getLong(2)));
        }
      }
    }
  }

  private static void numbers(Statement statement, String sql, boolean functions)
      throws SQLException {
    try (ResultSet row = statement.executeQuery(sql)) {
      while (row.next()) {
        if (functions) {
          VOLATILE.add(row.getLong(1));
        } else {
          OPERATORS.put(row.getLong(1), row.getLong(2));
        }
      }
    }
  }

  private static String body(Connection connection, String sql) throws SQLException {
    try (Statement statement = connection.createStatement()) {
      String function =
          "CREATE FUNCTION pg_temp.one() RETURNS void LANGUAGE sql BEGIN ATOMIC " + sql + "; END";
      statement.execute("DO $do$ BEGIN EXECUTE $fn$" + function + "$fn$; END $do$");
      try (ResultSet row =
          statement.executeQuery(
              "SELECT prosqlbody::text FROM pg_proc WHERE oid = 'pg_temp.one'::regproc")) {
        row.next();
        return row.getString(1);
      } finally {
        statement.execute("DROP FUNCTION pg_temp.one()");
      }
    }
  }

  @Test
  void noCallHidesFromTheGrammar() {
    assertThat(hidden(Grammar.standard())).isEmpty();
    assertThat(BODIES).hasSizeGreaterThan(65);
  }

  @Test
  void aFieldThatIsNotReadLetsOneThrough() throws Exception {
    Set<String> blind = new TreeSet<>();
    for (String field : fieldsWithNodes()) {
      if (!NO_CALLS.contains(field) && hidden(without(field)).isEmpty()) {
        blind.add(field);
      }
    }
    assertThat(blind).as("fields that no statement hides a call in").isEmpty();
  }

  /** The statements that would be kept. */
  private static Set<String> hidden(Grammar grammar) {
    Set<String> kept = new TreeSet<>();
    BODIES.forEach(
        (sql, body) -> {
          Analysis analysis =
              new Analyst(new AllButHidden(), null, grammar).read(TreeNode.read(body));
          if (analysis.refusal() == null) {
            kept.add(sql);
          }
        });
    return kept;
  }

  /** The grammar, but that one field is not entered. */
  private static Grammar without(String field) {
    String node = field.substring(0, field.indexOf('.'));
    String name = field.substring(field.indexOf('.') + 1);
    return Grammar.of(
        Grammar.lines("nodes.txt").stream()
            .map(
                line ->
                    line.startsWith(node + " ")
                        ? (line + " ").replace(" " + name + " ", " " + name + "=skip ").strip()
                        : line)
            .toList());
  }

  private static Set<String> fieldsWithNodes() {
    Set<String> fields = new TreeSet<>();
    BODIES.values().forEach(body -> TreeNode.read(body).forEach(node -> add(node, fields)));
    return fields.stream()
        .filter(field -> !field.endsWith(".joinaliasvars"))
        .collect(Collectors.toCollection(TreeSet::new));
  }

  private static void add(TreeNode node, Set<String> fields) {
    for (String field : node.fieldNames()) {
      List<TreeNode> inner = node.nodes(field);
      if (!inner.isEmpty()) {
        fields.add(node.name() + "." + field);
        inner.forEach(each -> add(each, fields));
      }
    }
  }

  /** Nothing is refused but the functions that hide. */
  private static final class AllButHidden implements Facts {
    @Override
    public Relation relation(long oid) {
      return new Relation.Table("t" + oid, Lane.ofTable("public", "t" + oid), Map.of(), Set.of());
    }

    @Override
    public Function function(long oid) {
      Volatility volatility = VOLATILE.contains(oid) ? Volatility.VOLATILE : Volatility.IMMUTABLE;
      List<Long> parts = PARTS.getOrDefault(oid, List.of());
      return new Function("f" + oid, "f" + oid, volatility, false, true, parts, List.of());
    }

    @Override
    public Operator operator(long oid) {
      @Nullable Long function = OPERATORS.get(oid);
      return new Operator("#", function == null ? Set.of() : Set.of(function));
    }

    @Override
    public Type type(long oid) {
      return new Type("t" + oid, false, null, Set.of(), Set.of(), List.of());
    }

    @Override
    public boolean isDeterministic(long collation) {
      return true;
    }
  }

  private static String resource(String name) throws Exception {
    try (InputStream in = Objects.requireNonNull(Asker.class.getResourceAsStream(name))) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
  }
}
