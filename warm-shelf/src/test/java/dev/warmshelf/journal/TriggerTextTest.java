package dev.warmshelf.journal;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.TestDatabase;
import dev.warmshelf.lane.Lane;
import java.sql.Connection;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;

/** The trigger function runs with its owner's rights; no caller's search path may steer it. */
class TriggerTextTest {
  /** Words before a parenthesis that name no function: syntax. */
  private static final String SYNTAX =
      "OPERATOR|coalesce|ROW|VALUES|FROM|warm_shelf\\.\\w+|AND|SELECT|ARRAY|CASE|IN";

  private static final Pattern CALLED = Pattern.compile("([\\w.\"]+)\\s*\\(");
  private static final Pattern SYMBOLS = Pattern.compile("[-+*/<>=~!@#%^&|`?]+");
  private static final Pattern TYPED = Pattern.compile("::\\s*([\\w.]+)");

  /** One table with a column of each kind, and others that are compared in each way. */
  private static final String TABLE =
      "CREATE TABLE mixed (id int, big int8, word text, day date, mark uuid, flag bool,"
          + " amount numeric, spot point, at timestamptz, PRIMARY KEY (id, big))";

  private static final String FOLLOWED = "mixed:id,big,word,day,mark,flag";

  @Test
  void eachNameStandsWithItsSchema() throws Exception {
    TestDatabase database = TestDatabase.create();
    database.run(TABLE);
    FollowedTable followed = FollowedTable.parse(FOLLOWED);
    String text;
    try (Connection connection = database.dataSource().getConnection()) {
      TableShape shape = TableShape.of(connection, followed);
      text = new TriggerText(Lane.ofTable("public", "mixed"), shape, true).functionText();
    }
    String body =
        text.substring(text.indexOf("$body$"), text.lastIndexOf("$body$"))
            .replaceAll("--[^\\n]*", "")
            .replaceAll("'[^']*'", "''")
            .replaceAll("OPERATOR\\(pg_catalog\\.[^)]*\\)", "")
            .replace(":=", ";")
            .replace("(*)", "()");
    Matcher called = CALLED.matcher(body);
    while (called.find()) {
      assertThat(called.group(1)).matches("pg_catalog\\.\\w+|" + SYNTAX);
    }
    assertThat(SYMBOLS.matcher(body).results().map(found -> found.group())).isEmpty();
    Matcher typed = TYPED.matcher(body);
    while (typed.find()) {
      assertThat(typed.group(1)).matches("pg_catalog\\.\\w+|timestamp");
    }
    assertThat(body).doesNotContainPattern("\\b(DISTINCT FROM|BETWEEN|LIKE|USING|NATURAL)\\b");
  }

  @Test
  void noOperatorOfTheCallersIsCalled() throws Exception {
    TestDatabase database = TestDatabase.create(TABLE, List.of(FOLLOWED));
    database.run(
        """
        CREATE SCHEMA evil;
        CREATE TABLE evil.caught (what text);
        CREATE DOMAIN evil.text AS pg_catalog.text;
        DO $do$
        DECLARE o record;
        BEGIN
          FOR o IN SELECT p.oid, oprname, oprleft::regtype l, oprright::regtype r,
                          oprresult::regtype e, row_number() OVER () n
                   FROM pg_operator p
                   WHERE oprkind = 'b' AND oprname IN ('=', '<', '<=', '>', '<>', '+')
                     AND oprleft::regtype::text IN ('integer', 'bigint', 'text', 'date', 'uuid',
                         'boolean', 'numeric', 'double precision', 'timestamp with time zone')
          LOOP
            EXECUTE format(
              'CREATE FUNCTION evil.f%s(a %s, b %s) RETURNS %s LANGUAGE plpgsql AS $f$ BEGIN'
              ' INSERT INTO evil.caught SELECT %L; RETURN a OPERATOR(pg_catalog.%s) b; END $f$',
              o.n, o.l, o.r, o.e, o.oprname, o.oprname);
            EXECUTE format('CREATE OPERATOR evil.%s (LEFTARG = %s, RIGHTARG = %s, FUNCTION = evil.f%s)',
              o.oprname, o.l, o.r, o.n);
          END LOOP;
        END
        $do$;
        CREATE FUNCTION evil.left(a pg_catalog.text, b int) RETURNS pg_catalog.text
          LANGUAGE plpgsql AS $f$ BEGIN INSERT INTO evil.caught SELECT 'left'; RETURN a; END $f$;
        CREATE FUNCTION evil.clock_timestamp() RETURNS timestamptz
          LANGUAGE plpgsql AS $f$ BEGIN INSERT INTO evil.caught SELECT 'clock'; RETURN 'now'; END $f$;
        """);
    String row = ", 1, 'word', '2026-05-01', gen_random_uuid(), true, 1.5, point(1, 1), now()";
    for (String write :
        List.of(
            "INSERT INTO public.mixed VALUES (1" + row + ")",
            "INSERT INTO public.mixed VALUES (2" + row + "), (3" + row + ")",
            "UPDATE public.mixed SET word = 'other'",
            "UPDATE public.mixed SET word = 'third', flag = false WHERE flag AND amount IS NULL",
            "DELETE FROM public.mixed")) {
      database.run("SET search_path = evil, pg_catalog; " + write);
    }
    assertThat(database.ask("SELECT count(*) FROM evil.caught")).isEqualTo("0");
    assertThat(
            database.ask(
                "SELECT string_agg(coalesce(array_length(rows_before, 1), 0) || '>'"
                    + " || coalesce(array_length(rows_after, 1), 0), ' ' ORDER BY at) FROM warm_shelf.journal"
                    + " WHERE lane <> '*'"))
        .isEqualTo("0>1 0>2 3>3 3>0");
  }
}
