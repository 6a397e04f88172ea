package dev.warmshelf.measure.survey;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.text.SqlTextException;
import java.util.List;
import java.util.Set;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

class CountedTextTest {
  private static CountedText counted(String text) {
    return new CountedText(text);
  }

  @Test
  void numbersAfterTheProgramsOwnStoodInItsText() {
    assertThat(counted("SELECT $3, a FROM t WHERE b = $1 AND c = $4 AND d = $2").bound())
        .hasValue(2);
    assertThat(counted("SELECT a FROM t WHERE b = $1 AND c = $3 AND d = $2").bound()).hasValue(2);
    assertThat(counted("SELECT a FROM t").bound()).hasValue(0);
    assertThat(counted("SELECT a FROM t WHERE b = $1 AND c = $2").bound())
        .as("all bound, or all in the text")
        .isEmpty();
  }

  @Test
  void aListOfWhateverLengthIsNoValue() {
    CountedText lists = counted("SELECT a FROM t WHERE b = $1 AND c IN ($2 /*, ... */)");
    assertThat(lists.lists()).containsExactly(2);
  }

  @Test
  void theFormIsTheProgramsOwnWhereItIsCertain() {
    assertThat(counted("SELECT a FROM t WHERE b = $1 AND c = $2 LIMIT $3").form())
        .hasValue(SqlStatement.of("SELECT a FROM t WHERE c = 'x' AND b = :b LIMIT 5").formDigest());
    assertThat(counted("SELECT coalesce(a, $2) FROM t WHERE b = $1").form())
        .as("what shapes the answer stays in the form")
        .isEmpty();
    assertThat(counted("SELECT a FROM t WHERE b = $1 AND c = date $2").form()).isEmpty();
    assertThat(counted("SELECT a FROM t WHERE b = 'unended").form()).isEmpty();
  }

  @Test
  void whatTheServerCutOutIsWrittenSoThatItTakesIt() {
    assertThat(counted("SELECT now() - INTERVAL $1, date $2, extract($3 FROM d)").asText())
        .isEqualTo("SELECT now() - CAST($1 AS INTERVAL), CAST($2 AS date), extract(epoch from d)");
  }

  /** Else one such statement would end a whole survey. */
  @Test
  void aSliceThatLooksLikeAParameterIsRefused() {
    assertThatThrownBy(() -> counted("SELECT a[low:high] FROM t").asStatement())
        .isInstanceOf(SqlTextException.class)
        .hasMessageContaining("':high' is read as a parameter");
  }

  @Test
  void whatAStatementWritesIsRead() {
    assertThat(counted("UPDATE port SET name = $1, status = lower($2) WHERE id = $3").written())
        .hasValue(new CountedText.Written("port", Set.of("name", "status")));
    assertThat(counted("update only \"s\".port p set name = (select a, b from c) from d").written())
        .hasValue(new CountedText.Written("s.port", Set.of("name")));
    assertThat(counted("UPDATE port SET (name, status) = ($1, $2)").written())
        .hasValue(new CountedText.Written("port", Set.of()));
    assertThat(counted("UPDATE port SET tags[$1] = $2").written())
        .hasValue(new CountedText.Written("port", Set.of()));
    for (String sql :
        List.of("INSERT INTO port (a) VALUES ($1)", "DELETE FROM port", "COPY port")) {
      assertThat(counted(sql).written()).hasValue(new CountedText.Written("port", Set.of()));
    }
    assertThat(counted("SELECT a FROM port").written()).isEmpty();
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "select 1",
        " ( SELECT 1)",
        "-- why\nselect 1",
        "/* a */ with a as (select 1) table a"
      })
  void aReadIsKnownByItsBeginning(String sql) {
    assertThat(counted(sql).mayRead()).isTrue();
    assertThat(counted("EXPLAIN " + sql).mayRead()).isFalse();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "SELECT a FROM t WHERE b = 'x' LIMIT 3 | select a from t where b = $1 limit $2 | true",
        "SELECT a FROM t WHERE b = :b ORDER BY 1; | SELECT a FROM t WHERE b = $1 ORDER BY 1 | true",
        "SELECT coalesce(a, NULL) /* x */ FROM t | SELECT coalesce(a, $1) FROM t | true",
        "SELECT a FROM t WHERE b = ? | SELECT a FROM t WHERE c = $1 | false"
      })
  void aProgramsTextIsFoundAgain(String program, String server, boolean same) {
    assertThat(CountedText.withoutValues(program).equals(CountedText.withoutValues(server)))
        .isEqualTo(same);
  }
}
