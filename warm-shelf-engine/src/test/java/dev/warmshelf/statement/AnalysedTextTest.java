package dev.warmshelf.statement;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What the database is given to analyse. */
class AnalysedTextTest {
  @ParameterizedTest
  @CsvSource(
      delimiter = ';',
      value = {
        "select a from t where b = 7 ; int4 ; select a from t where b = $1",
        "select a from t where b = 5000000000 ; int8 ; select a from t where b = $1",
        "select a from t where b = 7.50 ; numeric ; select a from t where b = $1",
        "select a from t where b = 'x' ; unknown ; select a from t where b = $1",
        "select a from t where b = date '2026-05-01' ; date ; select a from t where b = $1",
        "select a from t where b = true ; bool ; select a from t where b = $1",
        "select a from t where b = :p ; varchar ; select a from t where b = $1",
        "select a from t where b in (1, 2, 3) ; int4 ; select a from t where b in ($1)",
        "select a from t where b in (1, 2.5) ; int4+numeric ; select a from t where b in ($1, $2)",
        "select a from t where b in (:l) ; int4[] ; select a from t where b = any ($1)",
        "select a from t where b not in (:l) ; int4[] ; select a from t where b <> all ($1)",
        "select a from t where b = any (:l) ; int4[] ; select a from t where b = any ($1)",
        "select a from t where b = any (:p) ; varchar ; select a from t where b = any ($1)",
        "select a from t where :u is null ; unknown ; select a from t where $1::text is null",
        "select a ?? 'k' from t ; '' ; select a ? 'k' from t",
        "select :p + 1 from t limit 3 ; varchar+int4 ; select $1 + 1 from t limit $2",
      })
  void isTheNormalFormWithItsValuesTypes(String sql, String types, String text) {
    SqlStatement statement = SqlStatement.of(sql);
    List<String> given =
        statement.parameters().stream()
            .map(name -> name.equals("l") ? "int4[]" : name.equals("u") ? "unknown" : "varchar")
            .toList();
    AnalysedText analysed = statement.analysedText(given);
    assertThat(analysed.sql()).isEqualTo(text);
    assertThat(String.join("+", analysed.types())).isEqualTo(types);
  }

  @Test
  void textsThatDifferInConstantsAreAnalysedOnce() {
    assertThat(
            SqlStatement.of("SELECT a FROM t WHERE b = 1 AND c IN (4, 5)").analysedText(List.of()))
        .isEqualTo(
            SqlStatement.of("select a from T where c in (9) and b = 2").analysedText(List.of()));
  }

  @ParameterizedTest
  @CsvSource({
    "now, true",
    "12:00 today, true",
    "TOMORROW, true",
    "'{yesterday}', true",
    "today12:00, true",
    "nowhere, false",
    "snow, false",
    "2026-05-01, false",
  })
  void aTextCanBeAMoment(String text, boolean expected) {
    assertThat(AnalysedText.namesAMoment(text)).isEqualTo(expected);
  }

  @Test
  void aStringThatNobodyCanReadMayBeOne() {
    assertThat(SqlStatement.of("select e'\\x6eow'::date").saysMoment()).isNotNull();
    assertThat(SqlStatement.of("select u&'\\006eow'::date").saysMoment()).isNotNull();
    assertThat(SqlStatement.of("select 'n'\n'ow'::date").saysMoment()).isEqualTo("now");
    assertThat(SqlStatement.of("select $$now$$::date").saysMoment()).isEqualTo("now");
    assertThat(SqlStatement.of("select 'later'::text").saysMoment()).isNull();
  }

  @Test
  void aListAloneInParenthesesIsSentAsAnArray() {
    SqlStatement statement =
        SqlStatement.of("SELECT a FROM t WHERE b IN (:l) AND c NOT IN ( :m ) AND d IN (:x, 1)");
    assertThat(statement.mayBeLists()).containsExactly(0, 1);
    assertThat(statement.driverText(parameter -> parameter < 2))
        .isEqualTo("SELECT a FROM t WHERE b = ANY (?) AND c <> ALL ( ? ) AND d IN (?, 1)");
    assertThat(statement.driverText())
        .isEqualTo("SELECT a FROM t WHERE b IN (?) AND c NOT IN ( ? ) AND d IN (?, 1)");
  }
}
