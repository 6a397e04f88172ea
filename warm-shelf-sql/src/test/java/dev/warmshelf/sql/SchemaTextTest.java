package dev.warmshelf.sql;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;

class SchemaTextTest {
  private final SchemaText schema =
      SchemaText.of(
          """
          -- a dump; with a semicolon in a comment
          CREATE TABLE port (id int PRIMARY KEY, name text DEFAULT 'a;b');
          CREATE TABLE IF NOT EXISTS yard."Odd; Name" (id int);
          CREATE UNLOGGED TABLE draft (id int);
          CREATE TABLE booking (id int, at date) PARTITION BY RANGE (at);
          CREATE TABLE booking_05 PARTITION OF booking FOR VALUES FROM ('2026-05-01') TO ('2026-06-01');
          CREATE TABLE booking_05_a PARTITION OF public.booking_05 DEFAULT;
          CREATE TABLE ferry_port () INHERITS (port);
          CREATE TEMP TABLE scratch (id int);
          CREATE OR REPLACE VIEW busy (n) AS SELECT count(*) FROM booking_05;
          CREATE MATERIALIZED VIEW totals AS SELECT 1;
          CREATE FUNCTION tariff(int) RETURNS int IMMUTABLE LANGUAGE sql AS $$ SELECT $1; $$;
          CREATE FUNCTION quota(int) RETURNS int STABLE LANGUAGE sql AS 'SELECT 1';
          CREATE FUNCTION quota(text) RETURNS int IMMUTABLE LANGUAGE sql AS 'SELECT 1';
          CREATE INDEX ON port (name);
          INSERT INTO port VALUES (1, 'x');
          """);

  private final Analyst analyst = new Analyst(schema);

  @Test
  void tablesPartitionsAndViewsLeadToTheirRoots() {
    assertThat(verdict("SELECT * FROM busy, ferry_port, yard.\"Odd; Name\""))
        .isEqualTo("[public.booking, public.port, yard.\"Odd; Name\"]");
    assertThat(verdict("SELECT tariff(1) FROM booking_05_a")).isEqualTo("[public.booking]");
  }

  @Test
  void whatTheTextSaysIsNotKeepableIsRefused() {
    assertThat(verdict("SELECT * FROM scratch")).contains("a temporary table");
    assertThat(verdict("SELECT * FROM draft")).contains("an unlogged table");
    assertThat(verdict("SELECT * FROM totals")).contains("a materialized view");
    assertThat(verdict("SELECT * FROM yard.port")).contains("UNKNOWN_RELATION");
    assertThat(verdict("SELECT quota(1)")).contains("MAY_READ_TABLES");
    assertThat(verdict("SELECT other(1)")).contains("UNKNOWN_FUNCTION");
    assertThat(verdict("SELECT lower('A'), now()")).contains("now()");
  }

  private String verdict(String sql) {
    Verdict verdict = analyst.verdict(SqlStatement.of(sql));
    return verdict instanceof Verdict.Keepable keepable
        ? keepable.tables().toString()
        : verdict.toString();
  }
}
