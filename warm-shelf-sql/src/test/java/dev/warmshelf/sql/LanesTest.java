package dev.warmshelf.sql;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.key.Lane;
import dev.warmshelf.key.Lanes;
import dev.warmshelf.key.ValueKind;
import dev.warmshelf.sql.Catalogue.Relation;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** From statements to lanes: {@code s} stands for sailing, {@code b} for booking. */
class LanesTest {
  private static final Map<String, ValueKind> S = Map.of("id", ValueKind.INTEGER);
  private static final Map<String, ValueKind> B = new LinkedHashMap<>();

  static {
    B.put("sid", ValueKind.INTEGER);
    B.put("agent", ValueKind.INTEGER);
    B.put("code", ValueKind.TEXT);
  }

  /** Tables s and b, whose columns are told apart as above; a view v on b; nothing of the rest. */
  private static final Catalogue CATALOGUE =
      new Catalogue() {
        @Override
        public Relation relation(@Nullable String schema, String name) {
          return switch (name) {
            case "s" -> new Relation.Table(Lane.ofTable("x", "s"), S);
            case "b" -> new Relation.Table(Lane.ofTable("x", "b"), B);
            case "v" -> new Relation.View("select * from b where b.agent = 1");
            default -> new Relation.Table(Lane.ofTable("x", name), Map.of());
          };
        }

        @Override
        public Volatility function(@Nullable String schema, String name) {
          return Volatility.IMMUTABLE;
        }
      };

  private static final TellingApart APART =
      table -> table.name().equals("x.s") ? S : table.name().equals("x.b") ? B : Map.of();

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "select * from b where agent = 7 | x.b at large, x.b.agent=7",
        "select * from b where agent = :p | x.b at large, x.b.agent=5",
        "select * from b where agent in (7, 8, :p) "
            + "| x.b at large, x.b.agent=5, x.b.agent=7, x.b.agent=8",
        "select * from b where code = 'x=y' | x.b at large, x.b.code=x=y",
        // the fewest groups; among equals the first column declared
        "select * from b where agent = 7 and sid in (1, 2) | x.b at large, x.b.agent=7",
        "select * from b where agent = 7 and sid = 1 | x.b at large, x.b.sid=1",
        "select * from s join b on b.sid = s.id where s.id = 3 "
            + "| x.b at large, x.b.sid=3, x.s at large, x.s.id=3",
        // null is equal to nothing
        "select * from b where agent = :null | x.b at large",
        "select * from b where agent in (7, :null) | x.b at large, x.b.agent=7",
        // what is not certain to name a group: the table
        "select * from b where agent = '7' | x.b",
        "select * from b where agent = 7.5 | x.b",
        "select * from b where agent = :text | x.b",
        "select * from b where metres = 7 | x.b",
        "select * from b where agent = 7 or agent = 8 | x.b",
        "select * from b where b.agent = 7 union select * from b where b.sid = 1 "
            + "| x.b at large, x.b.agent=7, x.b.sid=1",
        "select * from b where agent = 7 union select * from b | x.b",
        "select * from v | x.b",
        "select * from v join b on b.agent = 7 | x.b",
        // equal columns of different kinds, or of none that is known, carry nothing over
        "select * from s join b on b.code = s.id where s.id = 3 | x.b, x.s at large, x.s.id=3",
        "select * from b join o on b.agent = o.x and o.x = 7 | x.b, x.o",
        // columns under other names
        "select * from b as b(agent, sid) where b.agent = 7 | x.b",
      })
  void theQuestionTellsTheLanes(String sql, String expected) {
    assertThat(lanes(sql)).isEqualTo(expected);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "select s.id, sum(b.m) from s left join b on b.sid = s.id where s.day = 1 group by s.id",
        "select s.name, s.id as sailing, coalesce(sum(b.m), 0) from s join r on r.id = s.r"
            + " left outer join b on b.held = 1 and s.id = b.sid where r.port = 3 group by s.id",
        "select s.id from s left join b on b.sid = s.id left join a on a.id = b.agent",
        "select count(distinct b.m), s.id from s left join b on b.sid = s.id group by s.id",
      })
  void theAnswerTellsTheLanesOfTheSideThatMayBeMissing(String sql) {
    Verdict.Keepable keepable = verdict(sql);
    assertThat(keepable.lanes().needAnswer()).isTrue();
    int position = sql.indexOf("s.id") < sql.indexOf(",") || !sql.contains(",") ? 0 : 1;
    List<Lane> told = keepable.lanes().afterLoad(answer(position, 11, 12L, null, 11));
    assertThat(told.stream().map(Lane::name).distinct())
        .containsExactly("x.b.sid=11", "x.b.sid=12");
    assertThat(keepable.lanes().beforeLoad(values()).lanes())
        .contains(Lane.ofTable("x", "b").atLarge())
        .doesNotContain(Lane.ofTable("x", "b"));
  }

  @Test
  void anAnswerThatTellsTooManyGroupsOrAnUncertainOneStandsOnTheTable() {
    Lanes lanes =
        verdict("select s.id, b.m from s left join b on b.sid = s.id where s.day = 1").lanes();
    @Nullable Object[] many = new @Nullable Object[Lanes.MOST_GROUPS + 1];
    Arrays.setAll(many, i -> i);
    assertThat(lanes.afterLoad(answer(0, many))).containsExactly(Lane.ofTable("x", "b"));
    assertThat(lanes.afterLoad(answer(0, 1, "one"))).containsExactly(Lane.ofTable("x", "b"));
  }

  @Test
  void withoutLanesFromAnswersSuchATableIsReadAsAWhole() {
    String sql = "select s.id, b.m from s left join b on b.sid = s.id where s.id = 1 or s.k = 2";
    Verdict verdict =
        new Analyst(CATALOGUE).verdict(SqlStatement.of(sql), List.of(), APART.byQuestionsAlone());
    assertThat(((Verdict.Keepable) verdict).lanes().beforeLoad(new Object[0]).toString())
        .isEqualTo("[x.b, x.s]");
  }

  private static Verdict.Keepable verdict(String sql) {
    return (Verdict.Keepable)
        new Analyst(CATALOGUE).verdict(SqlStatement.of(sql), List.of(), APART);
  }

  private static String lanes(String sql) {
    Lanes lanes = verdict(sql).lanes();
    assertThat(lanes.needAnswer()).isFalse();
    @Nullable Object[] values =
        sql.contains(":text")
            ? new Object[] {"7"}
            : sql.contains(":null") ? new Object[1] : values();
    return lanes.beforeLoad(values).lanes().stream()
        .map(Lane::name)
        .collect(Collectors.joining(", "));
  }

  private static @Nullable Object[] values() {
    return new Object[] {5};
  }

  private static Lanes.Rows answer(int position, @Nullable Object... values) {
    return new Lanes.Rows() {
      @Override
      public int size() {
        return values.length;
      }

      @Override
      public @Nullable Object value(int row, int column) {
        assertThat(column).isEqualTo(position);
        return values[row];
      }
    };
  }
}
