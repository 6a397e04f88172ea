package dev.warmshelf.sql;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.key.Lane;
import dev.warmshelf.sql.Catalogue.Relation;
import dev.warmshelf.sql.Catalogue.Volatility;
import dev.warmshelf.sql.Refusal.Reason;
import java.util.Map;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

class AnalystTest {
  private final Analyst guessing = new Analyst(Catalogue.guessed());

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "select * from port | public.port",
        "SELECT * FROM Sky.Port p, \"Odd Name\" | public.\"Odd Name\" sky.port",
        "select b.*, count(b.*) from booking b group by b.id | public.booking",
        "select (select max(id) from a), x in (select y from b) from c where exists (select 1 from d)"
            + " | public.a public.b public.c public.d",
        "select 1 from a join lateral (select * from b where b.x = a.x) s on true | public.a public.b",
        "select 1 from a order by (select 1 from b) limit (select 1 from c) | public.a public.b public.c",
        "select 1 from a union all select 2 from b except select 3 from c | public.a public.b public.c",
        "select 1 from a where x = any(array(select y from b)) | public.a public.b",
        "select sum((select 1 from b)) over (order by (select 1 from c)) from a"
            + " | public.a public.b public.c",
        "select case when exists (select 1 from b) then 1 end from a having 1 > (select 1 from c)"
            + " | public.a public.b public.c",
        "select * from ((a join b using (id)) left join c using (id)) | public.a public.b public.c",
        "table port | public.port",
        "select 1 from only port, unnest(array[1,2]) u(n) | public.port",
        "values ((select 1 from a)) | public.a",
        "with x as (select * from a) select * from x | public.a",
        "with booking as (select * from booking) select * from booking | public.booking",
        "with a as (select 1), b as (select * from a) select * from a, b, c | public.c",
        "with b as (select * from a), a as (select 1) select * from a, b | public.a",
        "with recursive t(n) as (select 1 union all select n + 1 from t) select n from t, u | public.u",
        "select * from (with a as (select 1) select * from a) s, a | public.a",
        "with a as (select 1) select * from public.a | public.a",
        "with a as materialized (select * from r) (select * from a) | public.r",
        "select ts at time zone 'UTC' from a join b on true where c is distinct from :p"
            + " | public.a public.b",
      })
  void everyTableThatCanBeReadIsInTheFootprint(String sql, String lanes) {
    assertThat(footprint(guessing.verdict(SqlStatement.of(sql)))).isEqualTo(lanes);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "'' | EMPTY",
        "-- only a comment | EMPTY",
        "selec 1 | NOT_PARSED",
        "select from where | NOT_PARSED",
        "select 1; select 2 | SEVERAL_STATEMENTS",
        "update port set name = 'x' | CHANGES_DATA",
        "explain select 1 | NOT_A_READ",
        "with d as (delete from port returning *) select * from d | CHANGES_DATA",
        "select * into copy from port | CHANGES_DATA",
        "select * from port for update | LOCKS_ROWS",
        "select * from port p for no key update of p | LOCKS_ROWS",
        "select * from port tablesample system (1) | SAMPLES",
        "select p.ctid from port p | READS_SYSTEM_COLUMN",
        "select id from port where xmax = 0 | READS_SYSTEM_COLUMN",
        "select \"tableoid\" from port | READS_SYSTEM_COLUMN",
        "select now() from port | DEPENDS_ON_MOMENT_OR_SESSION",
        "select CURRENT_DATE | DEPENDS_ON_MOMENT_OR_SESSION",
        "select * from port where owner = current_user | DEPENDS_ON_MOMENT_OR_SESSION",
        "select * from sailing where day = 'today' | DEPENDS_ON_MOMENT_OR_SESSION",
        "select timestamp 'Now' | DEPENDS_ON_MOMENT_OR_SESSION",
        "select random() | VOLATILE_FUNCTION",
        "select pg_catalog.random() | VOLATILE_FUNCTION",
        "select max(x) filter (where random() < 0.5) from a | VOLATILE_FUNCTION",
        "select nextval('s') | VOLATILE_FUNCTION",
        "select a <%> b from t | UNKNOWN_OPERATOR",
        "select a // b from t | UNKNOWN_OPERATOR",
        "select tariff(1) | UNKNOWN_FUNCTION",
        "select * from tariffs(1) t(a) | UNKNOWN_FUNCTION",
        "select mine.lower('X') | UNKNOWN_FUNCTION",
      })
  void whatMustNotBeKeptIsRefused(String sql, Reason reason) {
    assertThat(refusal(guessing.verdict(SqlStatement.of(sql))).reason()).isEqualTo(reason);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "select t.now, t.current_user from t",
        "select 'nowhere', 'todays list', \"now\" from t",
        "select substring(x from 1 for 2), extract(year from d), cast(x as numeric(10, 2)) from t",
        "select lower(x) || 'random()' from t where y ->> 'a' = :v and z @> :w",
      })
  void whatOnlyLooksDangerousIsKeepable(String sql) {
    assertThat(guessing.verdict(SqlStatement.of(sql))).isInstanceOf(Verdict.Keepable.class);
  }

  @Test
  void aRefusalNamesThePlaceInTheEngineersText() {
    Refusal refusal =
        refusal(guessing.verdict(SqlStatement.of("SELECT 1, /* why? */  Random() FROM port")));
    assertThat(refusal.position()).isEqualTo(22);
    assertThat(refusal.message())
        .isEqualTo("random() can give another answer each time (position 23)");
    assertThat(refusal(guessing.verdict(SqlStatement.of("select a from b where"))).message())
        .isEqualTo(
            "the statement is not understood at 'where'; if it is right, declare its tables (position 17)");
  }

  @Test
  void deepNestingIsRefusedAndNeverOverflowsTheStack() {
    String deep = "select " + "(".repeat(10_000) + "1" + ")".repeat(10_000);
    assertThat(refusal(guessing.verdict(SqlStatement.of(deep))).reason())
        .isEqualTo(Reason.TOO_DEEP);
    String shallow = "select " + "(".repeat(30) + "1" + ")".repeat(30) + " from port";
    assertThat(footprint(guessing.verdict(SqlStatement.of(shallow)))).isEqualTo("public.port");
  }

  @Test
  void aQuoteThatAParserCouldMisreadHidesNoTable() {
    assertThat(
            footprint(
                guessing.verdict(
                    SqlStatement.of("select E'\\', (select 1 from a), '', \\'', 'b' from c"))))
        .isEqualTo("public.c");
    assertThat(
            footprint(
                guessing.verdict(SqlStatement.of("select E'\\'', (select 1 from a), '\\' from c"))))
        .isEqualTo("public.a public.c");
  }

  @Test
  void aMegabyteOfTextIsRefusedInAnInstant() {
    String list = "1, ".repeat(350_000) + "2";
    Refusal refusal =
        refusal(guessing.verdict(SqlStatement.of("select 1 from a where b in (" + list + ")")));
    assertThat(refusal.reason()).isEqualTo(Reason.TOO_LONG);
  }

  @Test
  void aViewIsReadThroughAtAnyDepth() {
    Analyst analyst =
        new Analyst(
            new Fixed(
                Map.of(
                    "open_sailing", new Relation.View("SELECT * FROM held JOIN sailing USING (id)"),
                    "held", new Relation.View("SELECT * FROM booking WHERE now() < until"),
                    "quiet", new Relation.View("SELECT * FROM sailing s JOIN quieter USING (id)"),
                    "quieter", new Relation.View("SELECT * FROM booking_2026_06"),
                    "booking_2026_06", new Relation.Table(Lane.ofTable("public", "booking")),
                    "sailing", new Relation.Table(Lane.ofTable("public", "sailing")),
                    "totals", new Relation.Unfollowable("a materialized view")),
                Map.of("now", Volatility.SYSTEM_STABLE)));
    assertThat(footprint(analyst.verdict(SqlStatement.of("select * from quiet, quiet q"))))
        .isEqualTo("public.booking public.sailing");
    assertThat(refusal(analyst.verdict(SqlStatement.of("select * from open_sailing"))).message())
        .isEqualTo(
            "'now()' in view 'held' in view 'open_sailing' depends on the moment or the session;"
                + " pass it as a parameter (position 15)");
    assertThat(refusal(analyst.verdict(SqlStatement.of("select * from totals"))).message())
        .isEqualTo("totals is a materialized view, whose changes cannot be followed (position 15)");
    assertThat(refusal(analyst.verdict(SqlStatement.of("select * from nowhere"))).reason())
        .isEqualTo(Reason.UNKNOWN_RELATION);
  }

  @Test
  void theCatalogueHasTheLastWordOnFunctions() {
    Analyst analyst =
        new Analyst(
            new Fixed(
                Map.of(),
                Map.of(
                    "tariff", Volatility.IMMUTABLE,
                    "quota", Volatility.STABLE,
                    "lower", Volatility.VOLATILE,
                    "to_char", Volatility.SYSTEM_STABLE)));
    assertThat(analyst.verdict(SqlStatement.of("select tariff(1)")))
        .isInstanceOf(Verdict.Keepable.class);
    assertThat(analyst.verdict(SqlStatement.of("select to_char(:m, 'YYYY')")))
        .isInstanceOf(Verdict.Keepable.class);
    assertThat(refusal(analyst.verdict(SqlStatement.of("select quota(1)"))).reason())
        .isEqualTo(Reason.MAY_READ_TABLES);
    assertThat(refusal(analyst.verdict(SqlStatement.of("select lower('X')"))).reason())
        .isEqualTo(Reason.VOLATILE_FUNCTION);
  }

  private static String footprint(Verdict verdict) {
    assertThat(verdict).isInstanceOf(Verdict.Keepable.class);
    return String.join(
        " ", ((Verdict.Keepable) verdict).tables().lanes().stream().map(Lane::name).toList());
  }

  private static Refusal refusal(Verdict verdict) {
    assertThat(verdict).isInstanceOf(Verdict.Refused.class);
    return ((Verdict.Refused) verdict).refusal();
  }

  /** A catalogue of what the test says, by bare name. */
  private record Fixed(Map<String, Relation> relations, Map<String, Volatility> functions)
      implements Catalogue {
    @Override
    public Relation relation(@Nullable String schema, String name) {
      return relations.getOrDefault(name, new Relation.Missing());
    }

    @Override
    public Volatility function(@Nullable String schema, String name) {
      return functions.getOrDefault(name, Volatility.MISSING);
    }
  }
}
