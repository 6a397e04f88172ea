package dev.warmshelf.measure.workload;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.scenario.Questions;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.yaml.YamlException;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class WorkloadFileTest {
  private static final String SOUND =
      """
      workload: two ports
      writes-per-second: 2.5
      queries:
        port:
          weight: 3
          sql: SELECT id, version FROM port WHERE id = :id
          inputs:
            id: {from: 1, to: 9, zipf: 1}
            token: {one-of: [a, b], as: "session-{}"}
          leaving-out: [token]
          versions:
            - {of: port, id: id, version: version}
      changes:
        rename:
          sql: UPDATE port SET version = version + 1 WHERE id = :id RETURNING id, version
          inputs:
            id: {from: 1, to: {sql: SELECT max(id) FROM port}}
      """;

  @Test
  void readsWhatIsAskedAndWhatIsChanged() {
    Workload workload = WorkloadFile.read(SOUND);
    assertThat(workload.name()).isEqualTo("two ports");
    assertThat(workload.writesPerSecond()).isEqualTo(2.5);
    assertThat(workload.readsPerSecond()).isZero();
    Workload.Statement port = workload.queries().get(0);
    assertThat(port.label()).isEqualTo("port");
    assertThat(port.weight()).isEqualTo(3);
    assertThat(port.leftOut()).containsExactly("token");
    assertThat(port.inputs()).containsOnlyKeys("id", "token");
    assertThat(port.versions()).hasSize(1);
    assertThat(workload.changes().get(0).weight()).isEqualTo(1);
  }

  @Test
  void theDemosWorkloadAsksWhatThePagesAsk() {
    Map<String, String> asked =
        WorkloadFile.read(SkerryLine.workload()).queries().stream()
            .collect(
                Collectors.toMap(Workload.Statement::label, query -> query.sql().normalForm()));
    Map<String, String> pages =
        Map.of(
            "departures", Questions.DEPARTURES,
            "sailing", Questions.SAILING,
            "notices", Questions.NOTICES,
            "fares", Questions.FARES,
            "agent", Questions.AGENT_FIGURES,
            "occupancy", Questions.OCCUPANCY,
            "company", Questions.COMPANY_FIGURES);
    assertThat(asked).hasSameSizeAs(pages);
    pages.forEach(
        (label, sql) -> assertThat(asked).containsEntry(label, SqlStatement.of(sql).normalForm()));
  }

  /** Each takes a sound file, puts one thing for another, and expects line and words. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "weight: 3 | wieght: 3 | 5 | 'wieght' is not known here; expected one of [weight",
        "weight: 3 | weight: much | 5 | 'much' is no number",
        "weight: 3 | weight: -1 | 5 | out of range",
        "= :id RETURNING | = :other RETURNING | 15 | the parameter ':other', but 'inputs'",
        "leaving-out: [token] | leaving-out: [] | 5 | 'token' is no parameter of the SQL",
        "leaving-out: [token] | leaving-out: [id] | 5 | cannot be left out",
        "leaving-out: [token] | leaving-out: token | 10 | a list is expected here",
        "from: 1, to: 9 | from: one, to: 9 | 8 | 'one' is neither a whole number",
        "from: 1, to: 9 | from: 1 | 8 | 'to' is missing",
        "{of: port, id: id | {of: port, id: ':nobody' | 12 | there is no input 'nobody'",
        "SELECT id, version | DELETE id, version | 6 | a query begins with one of",
        "sql: SELECT id | sql: SELECT 'id | 6 | this is not SQL",
        "FROM port WHERE | FROM (DELETE FROM port) WHERE | 6 | must only read",
        "FROM port WHERE id = :id | FROM port WHERE id = :id FOR UPDATE | 6 | must only read",
        "workload: two ports | workload: [two | 2 | this is not YAML",
        "workload: two ports | name: two ports | 1 | 'name' is not known",
        "version: version} | version: version, over-rows: mean} | 12 | max or sum, not 'mean'",
      })
  void whatIsWrongIsSaidWithItsLine(String what, String instead, int line, String message) {
    assertThat(SOUND).contains(what);
    assertThatThrownBy(() -> WorkloadFile.read(SOUND.replace(what, instead)))
        .isInstanceOf(YamlException.class)
        .hasMessageContaining(message)
        .hasMessageStartingWith("line " + line + ": ");
  }

  @Test
  void aFileWithoutQueriesIsNone() {
    assertThatThrownBy(() -> WorkloadFile.read("workload: none\nqueries: {}\n"))
        .hasMessage("line 2: there must be at least one query.");
    assertThatThrownBy(() -> WorkloadFile.read("")).hasMessage("line 1: the file is empty.");
    assertThat(List.of("x", "workload: a\nqueries: b\n"))
        .allSatisfy(
            text ->
                assertThatThrownBy(() -> WorkloadFile.read(text))
                    .hasMessageContaining("a block of 'word: value' is expected here"));
  }
}
