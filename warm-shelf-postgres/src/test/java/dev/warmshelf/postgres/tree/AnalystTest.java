package dev.warmshelf.postgres.tree;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.statement.Analysis;
import dev.warmshelf.statement.Analysis.PinValue;
import dev.warmshelf.statement.Analysis.TableRead;
import dev.warmshelf.statement.Refusal;
import java.nio.charset.StandardCharsets;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/**
 * What is read off trees that a server has made, of two tables whose facts are made up here. The
 * servers themselves, of all versions, are asked by the jdbc module's tests.
 */
class AnalystTest {
  private static final Map<String, String> TREES = new HashMap<>();
  private static final Map<Long, Facts.Relation> RELATIONS = new HashMap<>();

  @BeforeAll
  static void read() throws Exception {
    String text;
    try (var in = AnalystTest.class.getResourceAsStream("trees.txt")) {
      text = new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
    String statement = null;
    for (String line : text.split("\n", -1)) {
      if (line.startsWith("relations ")) {
        for (String each : line.substring(10).split(" ", -1)) {
          RELATIONS.put(Long.parseLong(each.substring(2)), table(each.substring(0, 1)));
        }
      } else if (line.startsWith("statement ")) {
        statement = line.substring(10);
      } else if (line.startsWith("tree ")) {
        TREES.put(statement, line.substring(5));
      }
    }
  }

  private static Facts.Relation table(String name) {
    Map<Integer, Facts.Column> columns =
        name.equals("d")
            ? Map.of(
                1, column("id", ColumnKind.INTEGER),
                2, column("k", ColumnKind.INTEGER),
                3, column("name", ColumnKind.TEXT))
            : Map.of(
                1, column("id", ColumnKind.INTEGER),
                2, column("d_id", ColumnKind.INTEGER),
                3, column("kind", ColumnKind.TEXT));
    return new Facts.Relation.Table(
        "public." + name, Lane.ofTable("public", name), columns, java.util.Set.of());
  }

  private static Facts.Column column(String name, ColumnKind kind) {
    return new Facts.Column(name, kind, false);
  }

  /** Two tables, two operators, and functions of which two are not immutable. */
  private static final class MadeUp implements Facts {
    @Override
    public Relation relation(long oid) {
      return RELATIONS.get(oid);
    }

    @Override
    public Function function(long oid) {
      String name = oid == 1299 ? "now" : oid == 1598 ? "random" : "f" + oid;
      Volatility volatility =
          oid == 1299
              ? Volatility.STABLE
              : oid == 1598 ? Volatility.VOLATILE : Volatility.IMMUTABLE;
      return new Function(name, name + "()", volatility, true, true, List.of(), List.of());
    }

    @Override
    public Operator operator(long oid) {
      return new Operator("=", Set.of());
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

  private static Analysis analysis(String statement) {
    return new Analyst(new MadeUp(), null).read(TreeNode.read(TREES.get(statement)));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "SELECT id, name FROM d WHERE k = 7 | d[k=7]",
        "SELECT name FROM d WHERE k = 7 OR k = 8 | d[k=7,8]",
        "SELECT name FROM d WHERE k = 7 OR id = 8 | d",
        "SELECT count(*) FROM d | d",
        "SELECT d_id, count(*) FROM b WHERE d_id IN (1, 2) GROUP BY d_id | b[d_id=1,2]",
        "SELECT 1 | nothing",
      })
  void whereRowsComeFromIsReadOffTheTree(String statement, String expected) {
    Analysis analysis = analysis(statement);
    assertThat(analysis.refusal()).as(statement).isNull();
    assertThat(shown(analysis)).isEqualTo(expected);
    assertThat(analysis.onlyReads()).isTrue();
  }

  @Test
  void aPinIsCarriedOverAnInnerJoin() {
    assertThat(
            shown(analysis("SELECT d.name, b.kind FROM d JOIN b ON b.d_id = d.id WHERE d.id = 5")))
        .contains("d[id=5]", "b[d_id=5]");
  }

  @Test
  void theOtherSideOfAnOuterJoinDecidesWithoutShowing() {
    Analysis shows =
        analysis("SELECT d.id, b.kind FROM d LEFT JOIN b ON b.d_id = d.id WHERE d.k = 2");
    assertThat(shown(shows)).isEqualTo("d[k=2]; b told {d_id=0}");
    Analysis hides =
        analysis("SELECT d.id, d.name FROM d LEFT JOIN b ON b.d_id = d.id WHERE b.kind = 'go'");
    TableRead b =
        hides.tables().stream()
            .filter(read -> read.table().name().endsWith(".b"))
            .findFirst()
            .get();
    assertThat(b.pins()).containsKey("kind");
    assertThat(hides.columns().get(Lane.ofTable("public", "b"))).contains("kind", "d_id");
  }

  @Test
  void aSubqueryInAConditionIsAPlaceWhereATableIsRead() {
    Analysis exists = analysis("SELECT id FROM d WHERE EXISTS (SELECT FROM b WHERE b.d_id = d.id)");
    assertThat(exists.columns().keySet())
        .containsExactlyInAnyOrder(Lane.ofTable("public", "b"), Lane.ofTable("public", "d"));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "SELECT random(), id FROM d | VOLATILE_FUNCTION",
        "SELECT now(), id FROM d | DEPENDS_ON_MOMENT_OR_SESSION",
        "SELECT id FROM d WHERE k = 3 FOR UPDATE | LOCKS_ROWS",
        "SELECT ctid FROM d | READS_SYSTEM_COLUMN",
      })
  void whatMayNotBeKeptIsRefusedWithItsReason(String statement, Refusal.Reason reason) {
    Refusal refusal = analysis(statement).refusal();
    assertThat(refusal).as(statement).isNotNull();
    assertThat(refusal.reason()).isEqualTo(reason);
  }

  @Test
  void whatTheServerNamesAndNobodyKnowsIsRefused() {
    String unknown = TREES.get("SELECT count(*) FROM d").replace("{AGGREF", "{AGGREFOFTHEFUTURE");
    Analysis analysis = new Analyst(new MadeUp(), null).read(TreeNode.read(unknown));
    assertThat(analysis.refusal().reason()).isEqualTo(Refusal.Reason.UNKNOWN_NODE);
  }

  private static String shown(Analysis analysis) {
    return analysis.tables().isEmpty()
        ? "nothing"
        : analysis.tables().stream().map(AnalystTest::shown).collect(Collectors.joining("; "));
  }

  private static String shown(TableRead read) {
    StringBuilder text = new StringBuilder(read.table().name().substring("public.".length()));
    new TreeMap<>(read.pins())
        .forEach(
            (column, values) ->
                text.append('[')
                    .append(column)
                    .append('=')
                    .append(
                        values.stream().map(AnalystTest::shown).collect(Collectors.joining(",")))
                    .append(']'));
    return read.told().isEmpty() ? text.toString() : text + " told " + new TreeMap<>(read.told());
  }

  private static String shown(PinValue value) {
    return value instanceof PinValue.Fixed fixed ? String.valueOf(fixed.value()) : value.toString();
  }
}
