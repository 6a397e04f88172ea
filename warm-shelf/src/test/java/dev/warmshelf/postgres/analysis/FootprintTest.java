package dev.warmshelf.postgres.analysis;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.TestDatabase;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.scenario.Questions;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.Verdict;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestInstance;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/**
 * What a footprint says, against what the database's own plan says it reads: never less. The
 * statements stand in {@code nasty.sql}, written to be misread.
 */
@TestInstance(TestInstance.Lifecycle.PER_CLASS)
class FootprintTest {
  private static final Pattern RELATION =
      Pattern.compile("\"Relation Name\": \"([^\"]+)\",\\s*\"Schema\": \"([^\"]+)\"");

  private static final String ROOT =
      """
      WITH RECURSIVE up(oid) AS (
        SELECT ?::regclass::oid UNION ALL
        SELECT i.inhparent FROM up JOIN pg_inherits i ON i.inhrelid = up.oid)
      SELECT s.nspname, c.relname FROM up JOIN pg_class c ON c.oid = up.oid
        JOIN pg_namespace s ON s.oid = c.relnamespace
      WHERE NOT EXISTS (SELECT FROM pg_inherits i WHERE i.inhrelid = up.oid)
      """;

  private Connection connection;
  private Asker asker;

  @BeforeAll
  void open() throws Exception {
    TestDatabase database = TestDatabase.create();
    connection = database.dataSource().getConnection();
    try (Statement statement = connection.createStatement()) {
      statement.execute(resource("nasty-schema.sql"));
      statement.execute(resource("tpch-schema.sql"));
    }
    asker = new Asker(connection);
  }

  @AfterAll
  void close() throws Exception {
    connection.close();
  }

  @ParameterizedTest
  @MethodSource("statements")
  void aFootprintHoldsAllThatThePlanReads(String sql) throws Exception {
    Verdict verdict = asker.verdict(sql);
    assertThat(verdict).as(sql).isInstanceOf(Verdict.Keepable.class);
    Set<Lane> footprint = Set.copyOf(((Verdict.Keepable) verdict).tables().lanes());
    assertThat(footprint).as(sql).containsAll(plannedLanes(sql));
  }

  @Test
  void thereAreEnoughStatementsAndTheirPlansReadTables() throws Exception {
    List<String> statements = statements().toList();
    assertThat(statements).hasSizeGreaterThan(60);
    int lanes = 0;
    for (String sql : statements) {
      lanes += plannedLanes(sql).size();
    }
    assertThat(lanes).isGreaterThan(statements.size());
  }

  @Test
  void theQueriesOfTpchArePinnedWhereTheirConstantsPin() throws Exception {
    List<String> said = new ArrayList<>();
    for (String sql : SqlStatement.split(resource("tpch.sql"))) {
      said.add(asker.said(sql));
    }
    assertThat(said)
        .containsExactly(
            "lineitem ; texts matter",
            "nation part[p_size = 15] partsupp region[r_name = EUROPE] supplier",
            "customer[c_mktsegment = BUILDING] lineitem orders ; texts matter",
            "lineitem orders ; texts matter",
            "customer lineitem nation orders region[r_name = ASIA] supplier ; texts matter",
            "lineitem ; texts matter",
            "customer lineitem nation[n_name = FRANCE, GERMANY] nation[n_name = GERMANY, FRANCE] orders supplier ; texts matter",
            "customer lineitem nation orders part[p_type = ECONOMY ANODIZED STEEL] region[r_name = AMERICA] supplier ; texts matter",
            "lineitem nation orders part partsupp supplier ; texts matter",
            "customer lineitem[l_returnflag = R] nation orders ; texts matter",
            "nation[n_name = GERMANY] partsupp supplier",
            "lineitem[l_shipmode = MAIL, SHIP] orders ; texts matter",
            "customer orders",
            "lineitem part ; texts matter",
            "lineitem supplier ; texts matter",
            "part[p_size = 49, 14, 23, 45, 19, 3, 36, 9] partsupp supplier",
            "lineitem part[p_brand = Brand#23]",
            "customer lineitem orders ; texts matter",
            "lineitem[l_shipinstruct = DELIVER IN PERSON] part[p_brand = Brand#12, Brand#23, Brand#34]",
            "lineitem nation[n_name = CANADA] part partsupp supplier ; texts matter",
            "lineitem nation[n_name = SAUDI ARABIA] orders[o_orderstatus = F] supplier ; texts matter",
            "customer orders ; texts matter");
  }

  static Stream<String> statements() throws Exception {
    List<String> demo =
        Stream.of(
                Questions.DEPARTURES,
                Questions.OCCUPANCY,
                Questions.AGENT_FIGURES,
                Questions.COMPANY_FIGURES,
                Questions.SEARCH,
                Questions.SAILING,
                Questions.NOTICES,
                Questions.PORTS_OF_ISLAND,
                Questions.FARES)
            .map(
                sql ->
                    sql.replaceAll(":(day|from|to)", "date '2026-05-01'")
                        .replaceAll(":(island|season)", "'x'")
                        .replaceAll("(?<!:):[a-z]+", "1"))
            .toList();
    List<String> all = new ArrayList<>(demo);
    all.addAll(SqlStatement.split(resource("nasty.sql")));
    all.addAll(SqlStatement.split(resource("tpch.sql")));
    return all.stream();
  }

  /** The lanes of the relations in the database's plan; a partition counts as its root. */
  private Set<Lane> plannedLanes(String sql) throws SQLException {
    Set<Lane> lanes = new TreeSet<>();
    try (Statement statement = connection.createStatement();
        ResultSet row = statement.executeQuery("EXPLAIN (VERBOSE, FORMAT JSON) " + sql)) {
      row.next();
      Matcher found = RELATION.matcher(row.getString(1));
      while (found.find()) {
        lanes.add(rootOf(found.group(2), found.group(1)));
      }
    }
    return lanes;
  }

  /** A partition's or child's changes count as its root's. */
  private Lane rootOf(String schema, String table) throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(ROOT)) {
      statement.setString(1, SqlText.identifier(schema, table));
      try (ResultSet row = statement.executeQuery()) {
        row.next();
        return Lane.ofTable(row.getString(1), row.getString(2));
      }
    }
  }

  private static String resource(String name) throws Exception {
    try (InputStream in = FootprintTest.class.getResourceAsStream(name)) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
  }
}
