package dev.warmshelf.sql;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.key.Lane;
import java.util.Set;
import java.util.stream.Collectors;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class StatementKindTest {
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "select lower(name) from port where id in (1, 2) | READ",
        "with x as (select 1) select count(*) filter (where true) from x | READ",
        "values (1), (2); | READ",
        "table port | READ",
        "select * from port for update | WRITE",
        "select * into copy from port | WRITE",
        "insert into port values (1) | WRITE",
        "with x as (delete from port returning id) select * from x | WRITE",
        "truncate port | WRITE",
        "select quota(1) | UNKNOWN",
        "select mine.lower('X') | UNKNOWN",
        "select \"Lower\"('X') | UNKNOWN",
        "select nextval('s') | UNKNOWN",
        "select set_config('search_path', 'x', false) | UNKNOWN",
        "set search_path = x | SETTING",
        "discard all | SETTING",
        "savepoint a | TRANSACTION",
        "commit | TRANSACTION",
        "call tidy() | UNKNOWN",
        "do 'begin end' | UNKNOWN",
        "select 1; update port set id = 1 | UNKNOWN",
        "`` | UNKNOWN",
      })
  void whatAStatementMayDoIsTakenForTheWorse(String sql, StatementKind kind) {
    assertThat(StatementKind.of(sql == null ? "" : sql)).isEqualTo(kind);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "insert into port (id) values (1) on conflict (id) do update set id = 2 | public.port",
        "update only sky.port p set id = 1 from route r | sky.port",
        "delete from \"Odd Name\" where id in (select id from port) | public.\"Odd Name\"",
        "merge into port p using notice n on true when matched then update set id = 1"
            + " | public.port",
        "with gone as (delete from notice returning *), new as (insert into route select 1)"
            + " update port set id = 1 | public.notice public.port public.route",
        "call tidy() | nobody knows",
        "truncate port | nobody knows",
      })
  void theTablesThatAStatementNamesAsItsTargets(String sql, String expected) {
    Set<Lane> lanes = WrittenTables.of(SqlStatement.of(sql), Catalogue.guessed());
    assertThat(
            lanes == null
                ? "nobody knows"
                : lanes.stream().map(Lane::name).sorted().collect(Collectors.joining(" ")))
        .isEqualTo(expected);
  }
}
