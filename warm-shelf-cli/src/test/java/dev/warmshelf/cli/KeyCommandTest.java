package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import dev.warmshelf.cli.command.KeyExplanation;
import dev.warmshelf.scenario.LocalPostgres;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class KeyCommandTest {
  private static LocalPostgres server;
  private final ObjectMapper mapper = new ObjectMapper();

  @BeforeAll
  static void start() throws Exception {
    server = LocalPostgres.startForSchemas();
    try (Connection connection = server.dataSource("postgres").getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(
          "CREATE TABLE a (id int, c int, d int); CREATE TABLE b (id int, a int, c int, d text);"
              + "CREATE TABLE sailing (id int, day date); CREATE TABLE booking (id int, x int);"
              + "CREATE TABLE port (id int)");
    }
  }

  @AfterAll
  static void stop() throws Exception {
    server.close();
  }

  /** Asks the database that all tests share. */
  private static Ran key(String... arguments) {
    List<String> all = new ArrayList<>(List.of("key", "--db", server.url("postgres")));
    all.addAll(List.of(arguments));
    return Ran.of(all.toArray(new String[0]));
  }

  @Test
  void explainsAStatementForAReader() {
    Ran ran =
        key(
            "SELECT * FROM Sailing s JOIN booking USING (id) WHERE day != :day",
            "--bind",
            "day=2026-05-01");
    assertThat(ran.exitCode()).isZero();
    assertThat(ran.err()).isEmpty();
    assertThat(ran.out().lines())
        .contains(
            "normal form   select * from sailing s join booking using (id) where day <> $1",
            "parameters    $1  day = 2026-05-01 (date)",
            "verdict       keepable",
            "footprint     public.booking",
            "              public.sailing",
            "columns       public.booking(id, x)",
            "              public.sailing(day, id)");
  }

  @Test
  void explainsAStatementForAProgram() throws Exception {
    Ran ran =
        key("--json", "select a from b where c = ? and d = ?", "--bind", "1=7", "--bind", "2='7'");
    JsonNode json = mapper.readTree(ran.out());
    assertThat(json.fieldNames())
        .toIterable()
        .containsExactly(
            "statement",
            "normalForm",
            "formDigest",
            "parameters",
            "session",
            "digest",
            "verdict",
            "reason",
            "footprint",
            "columns",
            "pinned",
            "toldByAnswer",
            "mendedBy",
            "tied",
            "notMended");
    assertThat(json.get("parameters").toString())
        .isEqualTo(
            "[{\"name\":\"1\",\"value\":\"7\",\"type\":\"whole number\"},"
                + "{\"name\":\"2\",\"value\":\"7\",\"type\":\"text\"}]");
    assertThat(json.get("verdict").asText()).isEqualTo("keepable");
    assertThat(json.get("reason").isNull()).isTrue();
    assertThat(json.get("footprint").toString()).isEqualTo("[\"public.b\"]");
    assertThat(json.get("columns").toString()).isEqualTo("{\"public.b\":[\"a\",\"c\",\"d\"]}");
    assertThat(json.get("pinned").toString())
        .isEqualTo("[\"public.b[c = 7]\",\"public.b[d = 7]\"]");
    assertThat(json.get("digest").asText()).matches("[0-9a-f]{64}");
  }

  @Test
  void statementsThatAskTheSameShareADigest() throws Exception {
    assertThat(digest("select A from b where c=:x", "x=1"))
        .isEqualTo(digest("SELECT a FROM b -- why\nWHERE c = :y;", "y=1"))
        .isNotEqualTo(digest("select a from b where c=:x", "x=2"))
        .isNotEqualTo(digest("select a from b where d=:x", "x='1'"));
  }

  @Test
  void manyStatementsGiveALineEach(@TempDir Path directory) throws Exception {
    Path file = directory.resolve("statements.sql");
    Files.writeString(
        file,
        "select 1;\n-- a comment; with a semicolon\nselect now()\n;\nupdate port set id = 1;\nselect 'x");
    Ran ran = key("--file", file.toString());
    assertThat(ran.exitCode()).isZero();
    List<String> lines = ran.out().lines().toList();
    assertThat(lines.stream().filter(line -> !line.startsWith("{"))).isEmpty();
    JsonNode last = mapper.readTree(lines.get(lines.size() - 1));
    assertThat(last.get("verdict").asText()).isEqualTo("refused");
    assertThat(last.get("reason").asText()).contains("No closing quote");
    assertThat(last.get("normalForm").isNull()).isTrue();

    Files.writeString(file, "select 1;\nselect now();\nupdate port set id = 1");
    ran = key("--file", file.toString());
    assertThat(ran.out().lines().map(this::verdictOf))
        .containsExactly("keepable", "refused", "refused");
  }

  @Test
  void twoStatementsAreComparedStepByStep(@TempDir Path directory) throws Exception {
    Path file = directory.resolve("two.sql");
    Files.writeString(
        file,
        "select a from b where c in (2, 1) and d = 5;\nSELECT a FROM b WHERE d = 5 AND c IN (1, 2)");
    assertThat(key("--compare", file.toString()).out()).contains("They share a key.");
    Files.writeString(file, "select a from b where d = 5;\nselect a from b where d = 6");
    assertThat(key("--compare", file.toString()).out()).contains("part: values.");
    Files.writeString(file, "select a from b where d = 5;\nselect a from b where d <> 5");
    Ran ran = key("--json", "--compare", file.toString());
    assertThat(mapper.readTree(ran.out()).get("partAt").asText()).isEqualTo("normal form");
    Files.writeString(file, "select 1");
    assertComplaint(key("--compare", file.toString()), "has 1");
  }

  @Test
  void aSchemaFileIsRunInAServerThatTheToolBringsAlong(@TempDir Path directory) throws Exception {
    Path schema = directory.resolve("schema.sql");
    Files.writeString(schema, "CREATE TABLE a (id int); CREATE VIEW v AS SELECT * FROM a");
    Path statements = directory.resolve("statements.sql");
    Files.writeString(
        statements, "select * from v; select * from w; " + "select id from a;".repeat(20));
    Ran ran = Ran.of("key", "--schema", schema.toString(), "--file", statements.toString());
    List<String> lines = ran.out().lines().toList();
    assertThat(lines).hasSize(22);
    assertThat(mapper.readTree(lines.get(0)).get("footprint").toString())
        .isEqualTo("[\"public.a\"]");
    assertThat(lines.get(1)).contains("relation \\\"w\\\" does not exist");
    Files.writeString(schema, "CREATE TABEL a (id int)");
    assertComplaint(
        Ran.of("key", "select 1", "--schema", schema.toString()), "syntax error at or near");
  }

  @Test
  void withoutADatabaseTheDemosTablesAreAsked() {
    Ran ran = Ran.of("key", "SELECT id FROM booking WHERE sailing_id = 4");
    assertThat(ran.out())
        .contains("public.booking[sailing_id = 4]")
        .contains("note          asked of the demo's tables");
  }

  @Test
  void whatCannotBeDoneIsOneLineAndExitCode2(@TempDir Path directory) throws Exception {
    assertComplaint(
        key("selec 1"),
        "Wrong SQL: the database does not take it: syntax error at or near \"selec\"");
    assertComplaint(key("select 'x"), "Wrong SQL: No closing quote");
    assertComplaint(key(""), "Wrong SQL: there is no statement");
    assertComplaint(Ran.of("key"), "Give one statement");
    assertComplaint(
        Ran.of("key", "select 1", "--db", "jdbc:postgresql://localhost:1/x"), "cannot be reached");
    assertComplaint(Ran.of("key", "select 1", "--bnd", "x=1"), "Unknown option");
    assertComplaint(key("select :x, :y", "--bind", "x=1"), "Parameter 'y' has no value");
    assertComplaint(key("select 1", "--bind", "x=1"), "no parameter 'x'");
    assertComplaint(key("--file", directory.resolve("none").toString()), "no file");
    Path binary = directory.resolve("binary");
    Files.write(binary, new byte[] {(byte) 0xff, (byte) 0xfe, 0});
    assertComplaint(key("--file", binary.toString()), "not UTF-8");
    assertThat(Ran.of("--trace", "key", "selec 1", "--db", server.url("postgres")).err())
        .contains("at dev.warmshelf.cli");
  }

  @Test
  void valuesAreReadAsWhatTheyLookLike() {
    assertThat(KeyExplanation.read("12")).isEqualTo(12L);
    assertThat(KeyExplanation.read("-99999999999999999999"))
        .isEqualTo(new java.math.BigInteger("-99999999999999999999"));
    assertThat(KeyExplanation.read("1.50")).isEqualTo(new java.math.BigDecimal("1.50"));
    assertThat(KeyExplanation.read("2026-02-30")).isEqualTo("2026-02-30");
    assertThat(KeyExplanation.read("null")).isNull();
    assertThat(KeyExplanation.read("'null'")).isEqualTo("null");
    assertThat(KeyExplanation.read("true")).isEqualTo(true);
    assertThat(KeyExplanation.read("")).isEqualTo("");
  }

  private String verdictOf(String line) {
    try {
      return mapper.readTree(line).get("verdict").asText();
    } catch (com.fasterxml.jackson.core.JsonProcessingException e) {
      throw new AssertionError(line, e);
    }
  }

  private String digest(String sql, String binding) throws Exception {
    return mapper.readTree(key("--json", sql, "--bind", binding).out()).get("digest").asText();
  }

  private static void assertComplaint(Ran ran, String message) {
    assertThat(ran.exitCode()).isEqualTo(2);
    assertThat(ran.out()).isEmpty();
    assertThat(ran.err().lines()).hasSize(1);
    assertThat(ran.err()).startsWith("shelf: ").contains(message).doesNotContain("Exception");
  }
}
