package dev.warmshelf.postgres;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.TestDatabase;
import dev.warmshelf.key.Lane;
import dev.warmshelf.scenario.Questions;
import dev.warmshelf.sql.Analyst;
import dev.warmshelf.sql.Catalogue;
import dev.warmshelf.sql.SqlStatement;
import dev.warmshelf.sql.Verdict;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
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
import org.junit.jupiter.params.provider.ValueSource;

/**
 * What a footprint says, against what the database's own plan says it reads: never less. The
 * statements stand in {@code nasty.sql}, written to be misread.
 */
@TestInstance(TestInstance.Lifecycle.PER_CLASS)
class FootprintTest {
  private static final Pattern RELATION =
      Pattern.compile("\"Relation Name\": \"([^\"]+)\",\\s*\"Schema\": \"([^\"]+)\"");

  private Connection connection;
  private Analyst analyst;
  private Catalogue catalogue;

  @BeforeAll
  void open() throws Exception {
    TestDatabase database = TestDatabase.create();
    connection = database.dataSource().getConnection();
    try (Statement statement = connection.createStatement()) {
      statement.execute(resource("nasty-schema.sql"));
    }
    catalogue = new PostgresCatalogue().over(connection);
    analyst = new Analyst(catalogue);
  }

  @AfterAll
  void close() throws Exception {
    connection.close();
  }

  @ParameterizedTest
  @MethodSource("statements")
  void aFootprintHoldsAllThatThePlanReads(String sql) throws Exception {
    Verdict verdict = analyst.verdict(SqlStatement.of(sql));
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

  @ParameterizedTest
  @ValueSource(
      strings = {
        "SELECT p.id FROM port p WHERE EXISTS (SELECT FROM notice n WHERE n.port_id = p.id)",
        "SELECT count(*) FROM vessel GROUP BY ROLLUP (class_id), GROUPING SETS ((), (seats))",
        "SELECT id FROM crew UNION VALUES (1) UNION TABLE \"booking.x\"",
      })
  void whatTheParserDoesNotKnowIsRefusedThoughTheDatabaseKnowsIt(String sql) throws Exception {
    assertThat(plannedLanes(sql)).isNotEmpty();
    assertThat(analyst.verdict(SqlStatement.of(sql))).isInstanceOf(Verdict.Refused.class);
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
        if (catalogue.relation(found.group(2), found.group(1))
            instanceof dev.warmshelf.sql.Catalogue.Relation.Table table) {
          lanes.add(table.lane());
        } else {
          throw new AssertionError("not a table: " + found.group());
        }
      }
    }
    return lanes;
  }

  private static String resource(String name) throws Exception {
    try (InputStream in = FootprintTest.class.getResourceAsStream(name)) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
  }
}
