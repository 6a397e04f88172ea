package dev.warmshelf.sql;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.key.ValuePlan.Source;
import java.util.stream.Collectors;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class PinsTest {
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "select * from b where agent = 7 | b.agent=[7]",
        "select * from b where 7 = agent and x > 1 | b.agent=[7]",
        "select * from b where agent = :a and (c = 'x''y') | b.agent=[:0] b.c=[x'y]",
        "select * from b where day = :d and b.month = 3 | b.day=[:0] b.month=[3]",
        "select * from b where d = date '2026-05-01' | b.d=[2026-05-01]",
        "select * from b where agent in (7, :a) | b.agent=[7, :0]",
        "select * from b where agent = 7 or x = 1 | ``",
        "select * from b where not agent = 7 | ``",
        "select * from b where agent not in (7) | ``",
        "select * from b where agent = 7 + 1 | ``",
        "select * from b where lower(c) = 'x' | ``",
        // join equalities carry pins over
        "select * from s join b on b.sid = s.id where s.id = 7 | b.sid=[7] s.id=[7]",
        "select * from s, b where b.sid = s.id and s.id = :x | b.sid=[:0] s.id=[:0]",
        "select * from a join b on b.x = a.x join c on c.y = b.x and c.y = 7"
            + " | a.x=[7] b.x=[7] c.y=[7]",
        // outer joins: ON pins the side that may be missing, never the side that is kept
        "select * from s left join b on b.sid = s.id and b.st = 1 where s.id = 7"
            + " | b.sid=[7] b.st=[1] s.id=[7]",
        "select * from s left join b on b.sid = s.id and s.k = 1 | ``",
        "select * from s left join b on s.id = 7 and b.sid = s.id | b.sid=[7]",
        "select * from s left join b on b.sid = s.id where b.st = 1 | b.st=[1]",
        "select * from s right join b on b.sid = s.id and s.k = 1 where b.st = 2 | b.st=[2]",
        "select * from s full join b on b.sid = 7 and s.id = 7 | ``",
        // a table counts as pinned only if all its occurrences are
        "select * from b where agent = 7 and exists (select 1 from b b2) | ``",
        "select * from b b1 join b b2 on b1.id = b2.id where b1.id = 7 | b.id=[7] b.id=[7]",
        "select 1 from b where b.agent = 7 union select 1 from b | ``",
        // unqualified columns of subqueries could come from outside
        "select * from s where exists (select 1 from b where agent = 7) | ``",
        "select * from s where exists (select 1 from b where b.agent = 7 and b.sid = s.id) | b.agent=[7]",
        "with b as (select * from s where s.id = 3) select * from b where b.agent = 7 | s.id=[3]",
      })
  void columnsArePinnedWhereItIsCertain(String sql, String expected) {
    assertThat(pins(sql)).isEqualTo(expected);
  }

  private static String pins(String sql) {
    return new Analyst(Catalogue.guessed())
        .pins(SqlStatement.of(sql)).stream()
            .map(
                pin ->
                    pin.table().name().substring("public.".length())
                        + "."
                        + pin.column()
                        + "="
                        + pin.values().stream().map(PinsTest::text).toList())
            .collect(Collectors.joining(" "));
  }

  private static String text(Source source) {
    return source instanceof Source.Parameter parameter
        ? ":" + parameter.index()
        : String.valueOf(((Source.Constant) source).value());
  }
}
