package dev.warmshelf.journal;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.TestDatabase;
import dev.warmshelf.Waiting;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.shelf.Origin;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * What nobody can do by way of what is installed: SECURITY.md's table. {@code mallory} owns tables,
 * or the database, or nothing; a superuser installs and follows.
 */
class RightsTest {
  private TestDatabase database;

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create();
    database.run(
        "DO $$BEGIN CREATE ROLE mallory "
            + LocalPostgres.login()
            + "; EXCEPTION WHEN duplicate_object THEN NULL; END$$;"
            + " GRANT CREATE ON SCHEMA public TO mallory;"
            + " DO $$BEGIN EXECUTE format('GRANT CREATE ON DATABASE %I TO mallory',"
            + " current_database()); END$$;"
            // What runs with whose rights: whoever runs it writes who that is.
            + " CREATE SCHEMA caught AUTHORIZATION mallory;"
            + " CREATE TABLE caught.by (who text, what text); GRANT ALL ON caught.by TO PUBLIC;"
            + " GRANT USAGE ON SCHEMA caught TO PUBLIC");
  }

  @AfterEach
  void nobodyHasBecomeASuperuser() throws Exception {
    assertThat(database.ask("SELECT rolsuper FROM pg_roles WHERE rolname = 'mallory'"))
        .isEqualTo("f");
  }

  private PGSimpleDataSource mallorys() {
    PGSimpleDataSource source = database.postgres();
    source.setUser("mallory");
    return source;
  }

  private void asMallory(String sql) throws SQLException {
    try (Connection connection = mallorys().getConnection()) {
      database.run(connection, sql);
    }
  }

  /** A function that notes with whose rights it runs, and tries to take over with them. */
  private static String evil(String signature, String returns, String result) {
    return """
        CREATE FUNCTION %s RETURNS %s LANGUAGE plpgsql AS $evil$
        BEGIN
          INSERT INTO caught.by VALUES (current_user, '%s');
          BEGIN
            EXECUTE 'ALTER ROLE mallory SUPERUSER';
          EXCEPTION WHEN OTHERS THEN NULL;
          END;
          RETURN %s;
        END $evil$;
        """
        .formatted(signature, returns, signature.replace("'", ""), result);
  }

  private String caught() throws SQLException {
    return database.ask(
        "SELECT coalesce(string_agg(DISTINCT who || ' by ' || what, ', '), 'nobody')"
            + " FROM caught.by WHERE who <> 'mallory' AND NOT what = ANY ('"
            + OF_THE_DRIVER
            + "')");
  }

  /** What the driver asks the catalogue itself, when it is asked what a column is. */
  private static final String OF_THE_DRIVER = "{oid = int4,int2 = int4}";

  /**
   * The owner gives tracked and compared columns types of his own, and all that belongs to them.
   */
  @ParameterizedTest
  @ValueSource(booleans = {false, true})
  void aTablesOwnerRunsNothingWithTheRightsOfWhoeverInstalled(boolean digests) throws Exception {
    asMallory(
        "CREATE TABLE prey (id int PRIMARY KEY, n int, day date, u uuid, flag bool, word text,"
            + " money numeric); INSERT INTO prey SELECT i, i, '2026-05-01',"
            + " '00000000-0000-0000-0000-000000000000', true, 'w', 1 FROM generate_series(1, 3) i");
    Journal journal = Journal.on(database.dataSource());
    (digests ? journal.withDigests() : journal).install(List.of("prey:id,n,day,u,flag,word"));
    asMallory("UPDATE prey SET n = 5");
    StringBuilder sql = new StringBuilder("CREATE TYPE trap AS (x int);");
    for (String type : List.of("int", "date", "uuid", "boolean", "text", "numeric", "timestamp")) {
      sql.append(evil("to_" + type + "(trap)", type, "NULL::" + type));
      sql.append(
          "CREATE CAST (trap AS %s) WITH FUNCTION to_%s(trap) AS IMPLICIT;".formatted(type, type));
    }
    for (String[] operator :
        new String[][] {
          {"=", "same"}, {"<", "less"}, {">", "more"}, {"<=", "atMost"}, {">=", "atLeast"}
        }) {
      sql.append(evil(operator[1] + "(trap, trap)", "boolean", "true"));
      sql.append(
          "CREATE OPERATOR public.%s (LEFTARG = trap, RIGHTARG = trap, FUNCTION = %s);"
              .formatted(operator[0], operator[1]));
    }
    sql.append(evil("public.left(trap, int)", "text", "''"));
    sql.append(evil("public.concat(trap)", "text", "''"));
    sql.append(evil("public.pg_typeof(trap)", "regtype", "'int4'::regtype"));
    for (String column : List.of("n", "day", "u", "flag", "word", "money")) {
      sql.append("ALTER TABLE prey ALTER %s TYPE trap USING ROW(1)::trap;".formatted(column));
    }
    asMallory(sql.toString());
    asMallory("UPDATE prey SET n = ROW(2)::trap WHERE id = 1");
    asMallory("UPDATE prey SET n = ROW(3)::trap, day = ROW(4)::trap");
    asMallory("INSERT INTO prey (id, n) VALUES (4, ROW(1)::trap), (5, NULL)");
    asMallory("DELETE FROM prey WHERE id > 2");
    assertThat(caught()).isEqualTo("nobody");
    // And if something of his were called: all of it belongs to a role that can do nothing else.
    assertThat(
            database.ask(
                "SELECT string_agg(DISTINCT pg_get_userbyid(proowner), ',') FROM pg_proc"
                    + " WHERE pronamespace = 'warm_shelf'::regnamespace"))
        .isEqualTo("warm_shelf");
    assertThat(
            database.ask(
                "SELECT rolsuper OR rolcanlogin OR rolcreaterole OR rolcreatedb FROM pg_roles"
                    + " WHERE rolname = 'warm_shelf'"))
        .isEqualTo("f");
  }

  @Test
  void whatHasGotAnotherTypeIsNotedAtLarge() throws Exception {
    database.run("CREATE TABLE prey (id int PRIMARY KEY, n int); INSERT INTO prey VALUES (1, 1)");
    Journal.on(database.dataSource()).install(List.of("prey:id,n"));
    try (WarmShelf warm = database.shelf(2).open()) {
      ShelvedQuery<Long> count = warm.query("SELECT count(*) FROM prey").as(Long.class);
      Waiting.untilDelivered(warm);
      count.only();
      database.run(
          "ALTER TABLE prey ALTER n TYPE text USING 'x'; INSERT INTO prey VALUES (2, 'y')");
      Waiting.untilDelivered(warm);
      assertThat(count.only().value()).isEqualTo(2);
    }
  }

  /** What is there beforehand would be run, or could be changed afterwards, by its owner. */
  @ParameterizedTest
  @ValueSource(
      strings = {
        "CREATE SCHEMA warm_shelf",
        "CREATE SCHEMA warm_shelf; CREATE TABLE warm_shelf.installation (name uuid, version int);"
            + " CREATE FUNCTION trap() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN INSERT INTO"
            + " caught.by VALUES (current_user, 'trap'); RETURN NEW; END $$; CREATE TRIGGER t BEFORE"
            + " INSERT ON warm_shelf.installation FOR EACH ROW EXECUTE FUNCTION trap()",
        "CREATE SCHEMA warm_shelf; CREATE FUNCTION warm_shelf.trim_journal() RETURNS bigint"
            + " LANGUAGE sql AS 'SELECT 1::bigint'",
      })
  void nothingIsInstalledOnWhatSomebodyElseHasPrepared(String prepared) throws Exception {
    Journal.on(database.dataSource()).remove();
    asMallory(prepared);
    assertThatThrownBy(() -> Journal.on(database.dataSource()).install(List.of("port")))
        .isInstanceOf(SQLException.class)
        .hasMessageContaining("mallory");
    assertThat(caught()).isEqualTo("nobody");
  }

  @Test
  void norIfTheInstallationHasBeenAltered() throws Exception {
    database.run(
        "CREATE FUNCTION trap() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RETURN NEW; END $$;"
            + " CREATE TRIGGER t BEFORE INSERT ON warm_shelf.journal FOR EACH ROW EXECUTE FUNCTION trap()");
    assertThatThrownBy(() -> Journal.on(database.dataSource()).upgrade())
        .hasMessageContaining("trigger t");
  }

  /** Operators that fit the system's own columns better than the system's do. */
  private void makePublicHostile() throws SQLException {
    List<String> types =
        List.of(
            "oid",
            "name",
            "text",
            "\"char\"",
            "regclass",
            "regproc",
            "regtype",
            "int2",
            "int4",
            "int8",
            "bool",
            "xid",
            "int2vector",
            "oidvector",
            "pg_node_tree",
            "timestamptz");
    StringBuilder sql = new StringBuilder("SET check_function_bodies = off;");
    sql.append(
        """
        CREATE FUNCTION caught.note(what text) RETURNS boolean LANGUAGE plpgsql AS $evil$
        BEGIN
          INSERT INTO caught.by VALUES (current_user, what);
          RETURN true;
        END $evil$;
        """);
    int number = 0;
    for (String name : List.of("=", "<>", "<", ">=", "||", "&")) {
      for (String left : types) {
        for (String right : types) {
          String function = "public.evil_" + number++;
          String result = name.equals("||") ? "text" : "boolean";
          sql.append(
              """
              CREATE FUNCTION %1$s(%2$s, %3$s) RETURNS %5$s LANGUAGE plpgsql AS
                $evil$ BEGIN RETURN caught.note('%2$s %4$s %3$s'); END $evil$;
              CREATE OPERATOR public.%4$s (LEFTARG = %2$s, RIGHTARG = %3$s, FUNCTION = %1$s);
              """
                  .formatted(function, left, right, name, result));
        }
      }
    }
    for (String signature :
        List.of(
            "to_regclass(varchar)",
            "format_type(int8, int8)",
            "unnest(name[])",
            "concat_ws(name, oid, xid)",
            "current_setting(varchar, boolean)",
            "array_to_string(name[], varchar, varchar)",
            "left(name, int)",
            "string_agg(name, varchar)",
            "hashtextextended(varchar, int)",
            "pg_get_userbyid(int8)")) {
      sql.append(
          "CREATE FUNCTION public.%s RETURNS text LANGUAGE plpgsql AS $evil$ BEGIN RETURN caught.note('%s'); END $evil$;"
              .formatted(signature, signature));
    }
    asMallory(sql.toString());
  }

  /** Installing, looking, following, asking about statements, upgrading, removing. */
  @Test
  void nobodysOperatorsRunAsWhoeverAdministersOrFollows() throws Exception {
    makePublicHostile();
    PGSimpleDataSource source = database.postgres();
    Journal journal = Journal.on(source).readBy(List.of("mallory"));
    journal.install(List.of("port:island", "public.route"));
    assertThat(caught()).isEqualTo("nobody");
    assertThat(journal.check().problems()).isEmpty();
    journal.covered();
    assertThat(caught()).isEqualTo("nobody");
    try (WarmShelf warm = WarmShelf.over(source).following(JournalFeed.on(source)).open()) {
      ShelvedQuery<String> names = warm.query("SELECT name FROM port ORDER BY id").as(String.class);
      Waiting.untilDelivered(warm);
      names.list();
      database.run("UPDATE port SET name = name || '!' WHERE id = 1");
      Waiting.untilDelivered(warm);
      assertThat(names.list().value().get(0)).endsWith("!");
      database.run("CREATE VIEW another AS SELECT 1 AS one");
      Waiting.untilDelivered(warm);
      assertThat(names.list().origin()).isEqualTo(Origin.KEPT);
    }
    assertThat(caught()).isEqualTo("nobody");
    journal.upgrade();
    journal.followed();
    journal.removal();
    journal.remove();
    assertThat(caught()).isEqualTo("nobody");
  }

  /** Numbers that anybody may lock by are none of ours. */
  @Test
  void aStrangersLocksKeepNobodyFromFollowingOrTrimming() throws Exception {
    try (Connection stranger = mallorys().getConnection()) {
      database.run(
          stranger,
          "SELECT pg_advisory_lock(7214306551892114007), pg_advisory_lock(7214306551892114008)");
      assertThatThrownBy(
              () -> database.run(stranger, "SELECT FROM warm_shelf.installation FOR UPDATE"))
          .hasMessageContaining("permission denied");
      try (WarmShelf warm = database.shelf(2).open()) {
        Waiting.untilDelivered(warm);
        assertThat(database.ask("SELECT warm_shelf.trim_journal()")).isEqualTo("0");
      }
    }
  }

  @ParameterizedTest
  @ValueSource(strings = {"repeat('x', 501)", "E'a\\nb'", "E'\\x1b[2J'"})
  void aNameThatWouldTroubleItsReadersIsNotTaken(String name) throws Exception {
    assertThatThrownBy(() -> database.run("SELECT warm_shelf.clear('tag', " + name + ")"))
        .hasMessageContaining("500 characters");
  }

  /** What was written all the same, such as by another version, stops nobody. */
  @Test
  void aRowThatIsTooLongIsAClearingOfEverything() throws Exception {
    try (WarmShelf warm = database.shelf(2).open()) {
      ShelvedQuery<Long> count = warm.query("SELECT count(*) FROM port").as(Long.class);
      Waiting.untilDelivered(warm);
      count.only();
      assertThat(count.only().origin()).isEqualTo(Origin.KEPT);
      database.run(
          "INSERT INTO warm_shelf.journal (lane, kind, shape)"
              + " VALUES ('!', 'tag', repeat('x', 30000000))");
      Waiting.untilDelivered(warm);
      assertThat(count.only().origin()).isEqualTo(Origin.LOADED);
      assertThat(count.only().origin()).isEqualTo(Origin.KEPT);
    }
  }

  /** What one table is refused for, others before it are followed all the same. */
  @Test
  void eachTableIsFollowedAsAWholeOrNotAtAll() throws Exception {
    Journal.on(database.dataSource()).remove();
    asMallory(
        "CREATE TABLE mine (id int PRIMARY KEY); CREATE TABLE parted (id int) PARTITION BY"
            + " LIST (id); CREATE TABLE parted_1 PARTITION OF parted FOR VALUES IN (1)");
    database.run("ALTER TABLE parted_1 OWNER TO postgres");
    List<String> told = new ArrayList<>();
    Journal journal = Journal.on(mallorys()).telling(told::add);
    assertThatThrownBy(() -> journal.install(List.of("mine:id", "parted:id")))
        .isInstanceOf(SQLException.class);
    assertThat(journal.check().owner()).isEqualTo("mallory");
    assertThat(journal.check().isOwnedByItself()).isFalse();
    assertThat(told).containsExactly("followed 1 of 2: \"public\".\"mine\"");
    assertThat(journal.covered()).hasToString("[public.mine]");
    assertThat(
            database.ask(
                "SELECT count(*) FROM pg_trigger WHERE tgrelid IN ('parted'::regclass,"
                    + " 'parted_1'::regclass)"))
        .isEqualTo("0");
    database.run("ALTER TABLE parted_1 OWNER TO mallory");
    journal.install(List.of("mine:id", "parted:id"));
    assertThat(journal.covered()).hasSize(2);
  }
}
