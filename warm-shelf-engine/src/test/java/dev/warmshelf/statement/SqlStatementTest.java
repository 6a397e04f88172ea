package dev.warmshelf.statement;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.statement.text.SqlTextException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

class SqlStatementTest {
  @Test
  void spacingCommentsCaseAndParameterNamesAreFolded() {
    String one =
        """
        SELECT s.ID, Count(*)   -- how many
        FROM Sailing s /* all /* of */ them */
        WHERE s.day != :day AND s.route_id = :route;
        """;
    String other = "select s.id,count ( * ) from sailing s where s.day<>? and s.route_id=?";
    assertThat(form(one)).isEqualTo(form(other));
    assertThat(form(one))
        .isEqualTo("select s.id, count(*) from sailing s where s.day <> $1 and s.route_id = $2");
    assertThat(form("select $2, $1")).isEqualTo("select $1, $2");
    assertThat(SqlStatement.of("select $2, $1").parameters()).containsExactly("2", "1");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "select 'A' | select 'a'",
        "select \"A\" | select a",
        "select a.b | select a, b",
        "select E'a\\'b' | select 'ab'",
        "select $$A$$ | select $$a$$",
        "select a @-b | select a @ - b",
        "select 1.0 | select 1.00",
        "select a -- x | select a - x",
        "select x::int | select x",
        "select 'a  b' | select 'a b'",
        "select \"a  b\" | select \"a b\"",
        "select É | select é",
        "select a from t where p and z = array[q, r] | select a from t where z = array[q and p, r]",
      })
  void whatMayDifferInTheAnswerIsKeptApart(String one, String other) {
    assertThat(form(one)).isNotEqualTo(form(other));
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "select a <-1, b->>'x', c #>> '{a}', d::numeric(10, 2), -1.5e+3, 0xFF, arr[1:2], x@>y",
        "select count(*) filter (where a is not null) over (partition by b) from s.\"T x\" t(a, b)",
        "select 'it''s', E'\\'', B'101', $q$ ' $q$, U&'\\0041' from t",
        "select a.b . c, 1 .5, 1. x from t -- end",
      })
  void readingANormalFormAgainChangesNothing(String sql) {
    SqlStatement statement = SqlStatement.of(sql);
    SqlStatement again = SqlStatement.of(statement.normalForm());
    assertThat(again.normalForm()).isEqualTo(statement.normalForm());
    assertThat(again.normalTokens().stream().map(t -> t.kind() + t.text()).toList())
        .isEqualTo(statement.normalTokens().stream().map(t -> t.kind() + t.text()).toList());
  }

  @Test
  void theDriverGetsTheEngineersTextWithQuestionMarks() {
    SqlStatement statement =
        SqlStatement.of("SELECT ':no', x::int FROM t /* :no */ WHERE a=:A AND b = :b AND c=:A");
    assertThat(statement.parameters()).containsExactly("A", "b");
    assertThat(statement.driverText())
        .isEqualTo("SELECT ':no', x::int FROM t /* :no */ WHERE a=? AND b = ? AND c=?");
    assertThat(statement.driverOrder()).containsExactly(0, 1, 0);
  }

  @Test
  void whatClosesAStatementIsNotSent() {
    SqlStatement closed = SqlStatement.of("SELECT ';' FROM t -- why\n ; ; -- all of them");
    assertThat(closed.driverText()).isEqualTo("SELECT ';' FROM t -- why\n ");
    assertThat(closed.text()).isEqualTo(closed.driverText());
    assertThat(SqlStatement.of("SELECT 1 /* traced */").driverText())
        .isEqualTo("SELECT 1 /* traced */");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "select 'abc | quote for the string that begins at position 8",
        "select \"abc | quote for the identifier that begins at position 8",
        "select /* a /* b */ | end of the comment that begins at position 8",
        "select $tag$ x $tug$ | No closing $tag$ for the string that begins at position 8",
        "select E'a\\' | quote for the string that begins at position 9",
        "select \u0001 x | Unexpected character",
        "select :a, ? | mixed",
      })
  void whatIsNoSequenceOfTokensIsAnErrorWithItsPlace(String sql, String message) {
    assertThatThrownBy(() -> SqlStatement.of(sql))
        .isInstanceOf(SqlTextException.class)
        .hasMessageContaining(message);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "select a from t where b = 7 | select a from t where b = $1",
        "select a from t where 7 < b and c = 'x' | select a from t where $1 < b and c = $2",
        "select a from t where c = 'x' and b = 7 | select a from t where b = $1 and c = $2",
        "select a from t where b in (3, 1, 1) | select a from t where b in ($1...)",
        "select a from t where b between -1 and 1.50 | select a from t where b between $1 and $2",
        "select a from t where d = date '2026-05-01' | select a from t where d = $1",
        "select a from t where not (z = 1 or b = 2) limit 3"
            + " | select a from t where not (b = $1 or z = $2) limit $3",
        "select 7, 'x' as c, f(1) from t order by 2 | select 7, 'x' as c, f(1) from t order by 2",
        "select a from t where b = 7 + 1 | select a from t where b = 7 + 1",
        "select a from t where c = 'x ' | select a from t where c = 'x '",
        "select a from t where b in (select 2) | select a from t where b in (select 2)",
        "select a from t where (a, b) in ((1, 2)) | select a from t where (a, b) in ((1, 2))",
        "select a from t where case when a = 1 and b then c and d end and b"
            + " | select a from t where b and case when a = 1 and b then c and d end",
        "select a from t join u on u.z = 1 and u.y = 2 left join v on true where b or a"
            + " | select a from t join u on u.y = $1 and u.z = $2 left join v on true where a or b",
        "select a from t where p and z = array[r, q] and b[1] = 2"
            + " | select a from t where b[1] = $1 and p and z = array[r, q]",
        "select a from t where z = array[r and p, q] | select a from t where z = array[r and p, q]",
        "select a from t where case when b between 1 and 2 then c end and b"
            + " | select a from t where b and case when b between $1 and 2 then c end",
        "select distinct on (b and a) a from t | select distinct on (b and a) a from t",
        "select a from t where left(b, 1) = 'x' and a | select a from t where a and left(b, 1) = $1",
        "select a from t where b = true and exists (select 1 from u where y = 2 and x = 1)"
            + " | select a from t where b = $1 and exists (select 1 from u where x = $2 and y = $3)",
      })
  void conditionsAreFoldedAndNothingElse(String sql, String normalForm) {
    assertThat(form(sql)).isEqualTo(normalForm);
  }

  @Test
  void deepNestingAndLongTextsAreReadWithoutTrouble() {
    String deep = "select a from t where " + "(".repeat(10_000) + "b" + ")".repeat(10_000);
    assertThat(form(deep)).isEqualTo(deep);
    String wide = "select a from t where b in (" + "1, ".repeat(100_000) + "2)";
    assertThat(form(wide)).isEqualTo("select a from t where b in ($1...)");
    String broken = "select a) from (((t where b and a = 1";
    assertThat(form(broken)).isEqualTo(broken);
  }

  @ParameterizedTest
  @ValueSource(strings = {"on", "where", "having", "select", "union", "limit", "join", "for", "in"})
  void aWordAfterADotIsAColumnWhateverTheWord(String word) {
    String text =
        "select case when t.%1$s = 7 or t.a = 1 then 'x' when t.a = 2 then 'y' end from t";
    assertThat(form(text.formatted(word))).isEqualTo(text.formatted(word));
    assertThat(form("SELECT s." + word + " (7) FROM T"))
        .isEqualTo("select s." + word + "(7) from t");
  }

  @Test
  void textsAreRememberedUpToABound() {
    StatementMemory memory = new StatementMemory(100_000);
    SqlStatement first = memory.of("select 1");
    memory.isQuery(first);
    for (int i = 0; i < 10_000; i++) {
      SqlStatement other = memory.of("select " + i + " from t");
      memory.isQuery(other);
      assertThat(memory.of("select 1")).isSameAs(first);
    }
    assertThat(memory.size() * first.bytes()).isLessThanOrEqualTo(100_000);
    assertThat(memory.queries()).contains(first).hasSizeLessThanOrEqualTo(memory.size());
    String wide = "select a from t where b in (" + "1, ".repeat(1_000) + "2)";
    assertThat(memory.of(wide)).as("too long to remember").isNotSameAs(memory.of(wide));
  }

  @Test
  void aTextOfManyStatementsIsSplitAtSemicolonsOrElseByLines() {
    assertThat(SqlStatement.split("select ';' -- ;\n from a; select 2\n;\n"))
        .containsExactly("select ';' -- ;\n from a", "select 2");
    assertThat(SqlStatement.split("select 1\n\nwith a as (select 1) select * from a\n"))
        .containsExactly("select 1", "with a as (select 1) select * from a");
    assertThat(SqlStatement.split("select 1\nfrom a\n")).containsExactly("select 1\nfrom a");
    assertThat(SqlStatement.split("select 'a\nselect 2")).containsExactly("select 'a", "select 2");
  }

  private static String form(String sql) {
    return SqlStatement.of(sql).normalForm();
  }

  /**
   * Operands are put in order within their clause, and never leave it, whatever stands behind the
   * clause's word.
   */
  @Test
  void noOperandLeavesItsClause() {
    Random random = new Random(3);
    for (int i = 0; i < 2_000; i++) {
      Map<String, Set<String>> clauses = new LinkedHashMap<>();
      StringBuilder sql = new StringBuilder("SELECT 1 FROM t1");
      for (int join = 2; join < 4; join++) {
        String kind = List.of("JOIN", "LEFT JOIN", "RIGHT OUTER JOIN").get(random.nextInt(3));
        String table = random.nextBoolean() ? "t" + join : "(SELECT 1 AS a) t" + join;
        sql.append(' ').append(kind).append(' ').append(table).append(" ON ");
        sql.append(operands(random, "on" + join, clauses));
      }
      sql.append(" WHERE ").append(operands(random, "filter", clauses));
      sql.append(random.nextBoolean() ? " GROUP BY (t1.a), t1.b" : " GROUP BY t1.a");
      sql.append(" HAVING ").append(operands(random, "had", clauses));
      sql.append(random.nextBoolean() ? " UNION (SELECT 2" : " EXCEPT (SELECT 2");
      sql.append(" WHERE ").append(operands(random, "second", clauses)).append(")");
      String normal = SqlStatement.of(sql.toString()).normalForm();
      clauses.forEach(
          (clause, its) -> {
            int from = its.stream().mapToInt(normal::indexOf).min().orElseThrow();
            int to = its.stream().mapToInt(normal::indexOf).max().orElseThrow();
            assertThat(from).as("%s in %s", its, normal).isNotNegative();
            assertThat(normal.substring(from, to))
                .as("%s of %s", clause, normal)
                .doesNotContain("where", " on ", "having", "group", "union", "except", "join");
          });
    }
  }

  private static String operands(Random random, String clause, Map<String, Set<String>> all) {
    List<String> operands = new ArrayList<>();
    Set<String> names = new LinkedHashSet<>();
    for (int i = random.nextInt(3); i >= 0; i--) {
      String name = clause + "_" + (char) ('a' + random.nextInt(26)) + i;
      names.add(name);
      operands.add(
          switch (random.nextInt(4)) {
            case 0 -> "(" + name + " = 1 OR " + name + " = 2)";
            case 1 -> "left(" + name + ", 3) = 'abc'";
            case 2 -> name + " = 7";
            default -> "(" + name + ")";
          });
    }
    all.put(clause, names);
    return String.join(" AND ", operands);
  }

  @Test
  void aConditionOfAnotherClauseIsAnotherQuestion() {
    assertThat(SqlStatement.of("SELECT 1 FROM a LEFT JOIN b ON p AND q WHERE (r)").normalForm())
        .isNotEqualTo(
            SqlStatement.of("SELECT 1 FROM a LEFT JOIN b ON q WHERE (r) AND p").normalForm())
        .isEqualTo(
            SqlStatement.of("SELECT 1 FROM a LEFT JOIN b ON q AND p WHERE (r)").normalForm());
  }
}
