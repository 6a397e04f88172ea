package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import java.sql.Connection;
import java.sql.Statement;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * A change of the schema invalidates what depends on it, and nothing else; also where no superuser
 * installed the journal.
 */
class SchemaChangeTest {
  private static final String SET_UP =
      """
      CREATE TYPE rank AS ENUM ('mate', 'master');
      CREATE TABLE crew (id int PRIMARY KEY, name text, rank rank);
      INSERT INTO crew VALUES (1, 'ada', 'mate'), (2, 'bo', 'master');
      CREATE TABLE log (id int, crew_id int) PARTITION BY RANGE (id);
      CREATE TABLE log_low PARTITION OF log FOR VALUES FROM (0) TO (10);
      CREATE TABLE log_high (id int, crew_id int);
      INSERT INTO log_high VALUES (12, 1);
      CREATE TABLE apart (id int);
      CREATE TABLE unread (id int) PARTITION BY RANGE (id);
      CREATE FUNCTION twice(int) RETURNS int IMMUTABLE LANGUAGE sql AS 'SELECT $1 * 2';
      CREATE FUNCTION loud(text) RETURNS text IMMUTABLE LANGUAGE sql AS 'SELECT upper($1)';
      CREATE VIEW mates AS SELECT id, name FROM crew WHERE rank = 'mate';
      CREATE VIEW louder AS SELECT id, loud(name) AS name FROM mates;
      CREATE FUNCTION plus_one(int, int) RETURNS int IMMUTABLE LANGUAGE sql AS 'SELECT $1 + $2 + 1';
      CREATE OPERATOR <+> (LEFTARG = int, RIGHTARG = int, FUNCTION = plus_one);
      CREATE FUNCTION bigger(int, int) RETURNS int IMMUTABLE LANGUAGE sql AS 'SELECT greatest($1, $2)';
      CREATE AGGREGATE largest(int) (SFUNC = bigger, STYPE = int);
      CREATE FUNCTION inner_one(int) RETURNS int IMMUTABLE LANGUAGE sql AS 'SELECT $1';
      CREATE FUNCTION outer_one(int) RETURNS int IMMUTABLE LANGUAGE sql RETURN inner_one($1);
      CREATE TYPE holding AS (rank rank);
      CREATE DOMAIN short AS text CHECK (length(VALUE) < 9);
      """;

  private TestDatabase database;

  private void make() throws Exception {
    database = TestDatabase.create();
    database.run(SET_UP);
  }

  private WarmShelf open(boolean superuser) throws Exception {
    PGSimpleDataSource source = database.postgres();
    if (!superuser) {
      database.run(
          "DROP SCHEMA warm_shelf CASCADE; DO $$BEGIN CREATE ROLE keeper "
              + LocalPostgres.login()
              + ";"
              + " EXCEPTION WHEN duplicate_object THEN NULL; END$$;"
              + " GRANT ALL ON SCHEMA public TO keeper; GRANT ALL ON ALL TABLES IN SCHEMA public TO keeper;"
              + " DO $$BEGIN EXECUTE format('GRANT ALL ON DATABASE %I TO keeper', current_database()); END$$;"
              + " GRANT pg_read_all_stats TO keeper; GRANT EXECUTE ON FUNCTION pg_control_system() TO keeper;"
              + " ALTER TABLE crew OWNER TO keeper; ALTER TABLE log OWNER TO keeper;"
              + " ALTER TABLE log_low OWNER TO keeper; ALTER TABLE log_high OWNER TO keeper;"
              + " ALTER VIEW mates OWNER TO keeper; ALTER VIEW louder OWNER TO keeper");
      source.setUser("keeper");
    }
    Journal.on(source).install(List.of("crew:id", "log:crew_id"));
    return WarmShelf.over(source).following(JournalFeed.on(source)).open();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "SELECT * FROM crew ~ ALTER TABLE crew ADD note text DEFAULT 'x'",
        "SELECT * FROM crew ORDER BY 1 ~ ALTER TABLE crew DROP name CASCADE",
        "SELECT crew_id FROM log WHERE crew_id = 1 ~ ALTER TABLE log ALTER crew_id TYPE bigint",
        "SELECT count(*) FROM crew ~ ALTER TABLE crew ENABLE ROW LEVEL SECURITY",
        "SELECT name FROM mates ~ CREATE OR REPLACE VIEW mates AS SELECT id, name || '!' AS name FROM crew WHERE id > 0",
        "SELECT name FROM louder ~ CREATE OR REPLACE VIEW mates AS SELECT id, name || '!' AS name FROM crew WHERE id > 0",
        "SELECT name FROM louder ~ CREATE OR REPLACE FUNCTION loud(text) RETURNS text IMMUTABLE"
            + " LANGUAGE sql AS 'SELECT lower($1)'",
        "SELECT twice(id) FROM crew ~ CREATE OR REPLACE FUNCTION twice(int) RETURNS int IMMUTABLE"
            + " LANGUAGE sql AS 'SELECT $1 * 3'",
        "SELECT twice(id) FROM crew ~ ALTER FUNCTION twice(int) VOLATILE",
        "SELECT 1 <+> id FROM crew ~ CREATE OR REPLACE FUNCTION plus_one(int, int) RETURNS int"
            + " IMMUTABLE LANGUAGE sql AS 'SELECT $1 + $2 + 9'",
        "SELECT largest(id) FROM crew ~ CREATE OR REPLACE FUNCTION bigger(int, int) RETURNS int"
            + " IMMUTABLE LANGUAGE sql AS 'SELECT 7'",
        "SELECT outer_one(id) FROM crew ~ CREATE OR REPLACE FUNCTION inner_one(int) RETURNS int"
            + " IMMUTABLE LANGUAGE sql AS 'SELECT 7'",
        "SELECT NULL::holding, id FROM crew ~ ALTER TYPE rank RENAME VALUE 'mate' TO 'first'",
        "SELECT to_tsvector('english', name)::text FROM crew ~ ALTER TEXT SEARCH CONFIGURATION"
            + " english ALTER MAPPING FOR asciiword WITH simple",
        "SELECT rank FROM crew ~ ALTER TYPE rank RENAME VALUE 'mate' TO 'first mate'",
        "SELECT name::short FROM crew ~ ALTER DOMAIN short DROP CONSTRAINT short_check",
        "SELECT count(*) FROM log ~ ALTER TABLE log ATTACH PARTITION log_high FOR VALUES FROM (10) TO (20)",
        "SELECT count(*) FROM log ~ ALTER TABLE log DETACH PARTITION log_low",
        "SELECT twice(id) FROM crew ~ CREATE FUNCTION twice(bigint) RETURNS bigint IMMUTABLE LANGUAGE sql"
            + " AS 'SELECT 0::bigint'",
        "SELECT count(*) FROM crew ~ CREATE SCHEMA keeper AUTHORIZATION CURRENT_USER CREATE TABLE crew (id int)",
        "SELECT count(*) FROM crew ~ ALTER TABLE crew RENAME TO people",
        // All values are written anew, and no trigger tells of it.
        "SELECT id, name FROM crew ~ DROP VIEW louder, mates; ALTER TABLE crew ALTER name TYPE text USING name || '!'",
        "SELECT rank FROM crew ~ DROP VIEW louder, mates; ALTER TABLE crew ALTER rank TYPE rank USING 'mate'",
        "SELECT crew_id FROM log ~ ALTER TABLE log ALTER crew_id TYPE int USING crew_id + 10",
        "SELECT crew_id FROM log_low ~ ALTER TABLE log ALTER crew_id TYPE int USING crew_id + 10",
        // Who may read it.
        "SELECT count(*) FROM crew ~ REVOKE SELECT ON crew FROM CURRENT_USER",
        "SELECT name FROM crew ~ GRANT SELECT (name) ON crew TO PUBLIC",
        "SELECT twice(id) FROM crew ~ REVOKE EXECUTE ON FUNCTION twice(int) FROM PUBLIC",
        "SELECT upper(name) FROM crew ~ REVOKE EXECUTE ON FUNCTION upper(text) FROM PUBLIC",
        "SELECT count(*) FROM crew ~ REVOKE USAGE ON SCHEMA public FROM PUBLIC",
        "SELECT count(*) FROM mates ~ ALTER VIEW mates OWNER TO pg_read_all_stats",
      })
  void whatAStatementDependsOnInvalidatesItsAnswers(String query, String change) throws Exception {
    // Both look in the same way; where no superuser did, a few kinds are enough to see that it
    // does.
    boolean both = change.contains("REPLACE VIEW") || change.contains("ALTER TYPE");
    for (boolean superuser : both ? new boolean[] {true, false} : new boolean[] {true}) {
      make();
      try (WarmShelf warm = open(superuser)) {
        ShelvedQuery<Map<String, @Nullable Object>> asked = warm.query(query).asMaps();
        Reading<?> before = asked.list();
        assertThat(asked.list().origin()).as(query).isEqualTo(Origin.KEPT);
        database.run(change);
        if (superuser) {
          Waiting.untilDelivered(warm);
        } else {
          Waiting.until("it is noticed", () -> !before.holdsStill());
        }
        assertThat(before.holdsStill()).as("%s, then %s", query, change).isFalse();
      }
    }
  }

  @Tag("thorough")
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "CREATE TABLE other (id int)",
        "ALTER TABLE apart ADD x int",
        "CREATE INDEX ON crew (name)",
        "CREATE TEMP TABLE crew (id int)",
        "CREATE TABLE more PARTITION OF unread FOR VALUES FROM (20) TO (30)",
        "CREATE VIEW bosses AS SELECT name FROM crew WHERE rank = 'master'",
        "CREATE OR REPLACE VIEW louder AS SELECT id, lower(name) AS name FROM mates",
        "CREATE FUNCTION other(int) RETURNS int LANGUAGE sql AS 'SELECT 1'",
        "DROP FUNCTION loud(text) CASCADE",
        "CREATE SCHEMA aside CREATE TABLE anything (id int)",
        "COMMENT ON TABLE crew IS 'all hands'",
        "ALTER TABLE crew SET (fillfactor = 90)",
        "ALTER TABLE crew ADD CONSTRAINT named CHECK (name <> '')",
        "GRANT SELECT ON apart TO PUBLIC",
        "VACUUM FULL crew",
        "CLUSTER crew USING crew_pkey",
        "DROP TABLE apart",
      })
  void whatItDoesNotDependOnLeavesItAlone(String change) throws Exception {
    make();
    try (WarmShelf warm = open(true)) {
      ShelvedQuery<Map<String, @Nullable Object>> asked =
          warm.query("SELECT m.name, twice(c.id) FROM mates m JOIN crew c ON c.id = m.id").asMaps();
      asked.list();
      database.run(change);
      Waiting.untilDelivered(warm);
      assertThat(asked.list().origin()).as(change).isEqualTo(Origin.KEPT);
      assertThat(warm.feedMeters().orElseThrow().resets()).isZero();
    }
  }

  /** As long as others read, it is half done: new statements see the partition no more. */
  @Test
  void aPartitionThatIsBeingDetachedIsNotReadAnyMore() throws Exception {
    make();
    database.run("INSERT INTO log VALUES (1, 1), (2, 1)");
    try (WarmShelf warm = open(true);
        Connection reader = database.dataSource().getConnection();
        Connection detaching = database.dataSource().getConnection();
        Statement detach = detaching.createStatement()) {
      ShelvedQuery<Long> count = warm.query("SELECT count(*) FROM log").as(Long.class);
      Waiting.untilDelivered(warm);
      assertThat(count.question().only().value()).isEqualTo(2);
      Reading<Long> kept = count.question().only();
      assertThat(kept.origin()).isEqualTo(Origin.KEPT);
      reader.setAutoCommit(false);
      database.run(reader, "SELECT count(*) FROM log");
      CompletableFuture<Void> ended =
          CompletableFuture.runAsync(
              () ->
                  assertThatThrownBy(() -> detach.execute(DETACH)).hasMessageContaining("cancel"));
      Waiting.until("it is half done", () -> database.ask(PENDING).equals("1"));
      Waiting.untilDelivered(warm);
      assertThat(kept.holdsStill()).isFalse();
      assertThat(count.question().only().value()).isZero();
      detach.cancel();
      ended.join();
      reader.rollback();
      assertThat(count.question().only().value()).isZero();
      database.run("ALTER TABLE log DETACH PARTITION log_low FINALIZE");
      Waiting.untilDelivered(warm);
      assertThat(count.question().only().value()).isZero();
    }
  }

  private static final String DETACH = "ALTER TABLE log DETACH PARTITION log_low CONCURRENTLY";
  private static final String PENDING = "SELECT count(*) FROM pg_inherits WHERE inhdetachpending";

  /** By itself, or by way of a role that it belongs to, or of a view's owner. */
  @Tag("thorough")
  @ParameterizedTest
  @ValueSource(
      strings = {
        "REVOKE crew_readers FROM crew_reader",
        "REVOKE crew_all FROM crew_readers",
        "REVOKE SELECT ON crew FROM crew_all",
        "REVOKE SELECT ON mates FROM crew_readers",
        "REVOKE crew_all FROM crew_owner",
        "GRANT crew_readers TO crew_reader WITH INHERIT FALSE",
      })
  void whoMayNotReadAnyMoreIsNotAnswered(String revoke) throws Exception {
    make();
    database.run(
        """
        DROP ROLE IF EXISTS crew_reader, crew_readers, crew_all, crew_owner;
        CREATE ROLE crew_all;
        CREATE ROLE crew_readers IN ROLE crew_all;
        CREATE ROLE crew_reader IN ROLE crew_readers %s;
        CREATE ROLE crew_owner IN ROLE crew_all;
        GRANT SELECT ON crew TO crew_all;
        ALTER VIEW mates OWNER TO crew_owner;
        GRANT SELECT ON mates TO crew_readers;
        """
            .formatted(LocalPostgres.login()));
    Journal.on(database.dataSource()).readBy(List.of("crew_reader")).install(List.of("crew:id"));
    PGSimpleDataSource source = database.postgres();
    source.setUser("crew_reader");
    try (WarmShelf warm = WarmShelf.over(source).following(JournalFeed.on(source)).open()) {
      Question<Long> question =
          warm.query("SELECT count(*) FROM crew NATURAL JOIN mates").as(Long.class).question();
      Waiting.untilDelivered(warm);
      question.only();
      Reading<Long> kept = question.only();
      assertThat(kept.origin()).isEqualTo(Origin.KEPT);
      database.run(revoke); // of roles no event tells: it is seen by looking
      Waiting.until("it is noticed", () -> !kept.holdsStill());
      assertThatThrownBy(question::only).hasMessageContaining("permission denied");
    } finally {
      database.run(
          "DROP OWNED BY crew_reader, crew_readers, crew_all, crew_owner CASCADE;"
              + " DROP ROLE crew_reader, crew_readers, crew_all, crew_owner");
    }
  }
}
