package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class KeyCommandTest {
  private final ObjectMapper mapper = new ObjectMapper();

  @Test
  void explainsAStatementForAReader() {
    Ran ran =
        Ran.of(
            "key",
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
            "              public.sailing");
  }

  @Test
  void explainsAStatementForAProgram() throws Exception {
    Ran ran =
        Ran.of(
            "key",
            "--json",
            "select a from b where c = ? and d = ?",
            "--bind",
            "1=7",
            "--bind",
            "2='7'");
    JsonNode json = mapper.readTree(ran.out());
    assertThat(json.fieldNames())
        .toIterable()
        .containsExactly(
            "statement",
            "normalForm",
            "parameters",
            "digest",
            "verdict",
            "reason",
            "footprint",
            "pinned",
            "toldByAnswer");
    assertThat(json.get("parameters").toString())
        .isEqualTo(
            "[{\"name\":\"1\",\"value\":\"7\",\"type\":\"whole number\"},"
                + "{\"name\":\"2\",\"value\":\"7\",\"type\":\"text\"}]");
    assertThat(json.get("verdict").asText()).isEqualTo("keepable");
    assertThat(json.get("reason").isNull()).isTrue();
    assertThat(json.get("footprint").toString()).isEqualTo("[\"public.b\"]");
    assertThat(json.get("digest").asText()).matches("[0-9a-f]{64}");
  }

  @Test
  void statementsThatAskTheSameShareADigest() throws Exception {
    assertThat(digest("select A from b where c=:x", "x=1"))
        .isEqualTo(digest("SELECT a FROM b -- why\nWHERE c = :y;", "y=1"))
        .isNotEqualTo(digest("select a from b where c=:x", "x=2"))
        .isNotEqualTo(digest("select a from b where c=:x", "x='1'"));
  }

  @Test
  void manyStatementsGiveALineEach(@TempDir Path directory) throws Exception {
    Path file = directory.resolve("statements.sql");
    Files.writeString(
        file,
        "select 1;\n-- a comment; with a semicolon\nselect now()\n;\nupdate port set id = 1;\nselect 'x");
    Ran ran = Ran.of("key", "--file", file.toString());
    assertThat(ran.exitCode()).isZero();
    List<String> lines = ran.out().lines().toList();
    assertThat(lines.stream().filter(line -> !line.startsWith("{"))).isEmpty();
    JsonNode last = mapper.readTree(lines.get(lines.size() - 1));
    assertThat(last.get("verdict").asText()).isEqualTo("refused");
    assertThat(last.get("reason").asText()).contains("No closing quote");
    assertThat(last.get("normalForm").isNull()).isTrue();

    Files.writeString(file, "select 1;\nselect now();\nupdate port set id = 1");
    ran = Ran.of("key", "--file", file.toString());
    assertThat(ran.out().lines().map(this::verdictOf))
        .containsExactly("keepable", "refused", "refused");
  }

  @Test
  void twoStatementsAreComparedStepByStep(@TempDir Path directory) throws Exception {
    Path file = directory.resolve("two.sql");
    Files.writeString(
        file,
        "select a from b where c in (2, 1) and d = 5;\nSELECT a FROM b WHERE d = 5 AND c IN (1, 2)");
    assertThat(Ran.of("key", "--compare", file.toString()).out()).contains("They share a key.");
    Files.writeString(file, "select a from b where d = 5;\nselect a from b where d = 6");
    assertThat(Ran.of("key", "--compare", file.toString()).out()).contains("part: values.");
    Files.writeString(file, "select a from b where d = 5;\nselect a from b where d <> 5");
    Ran ran = Ran.of("key", "--json", "--compare", file.toString());
    assertThat(mapper.readTree(ran.out()).get("partAt").asText()).isEqualTo("normal form");
    Files.writeString(file, "select 1");
    assertComplaint(Ran.of("key", "--compare", file.toString()), "has 1");
  }

  @Test
  void aSchemaFileSaysWhatNamesMean(@TempDir Path directory) throws Exception {
    Path schema = directory.resolve("schema.sql");
    Files.writeString(schema, "CREATE TABLE a (id int); CREATE VIEW v AS SELECT * FROM a");
    Ran ran = Ran.of("key", "select * from v", "--schema", schema.toString());
    assertThat(ran.out()).contains("footprint     public.a").doesNotContain("note");
    assertThat(Ran.of("key", "select * from w", "--schema", schema.toString()).out())
        .contains("refused: there is no table or view 'w'");
    assertThat(Ran.of("key", "select * from v").out())
        .contains("note          no database was asked");
  }

  @Test
  void whatCannotBeDoneIsOneLineAndExitCode2(@TempDir Path directory) throws Exception {
    assertComplaint(
        Ran.of("key", "selec 1"), "Wrong SQL: the statement is not understood at 'selec'");
    assertComplaint(Ran.of("key", "select 'x"), "Wrong SQL: No closing quote");
    assertComplaint(Ran.of("key", ""), "Wrong SQL: there is no statement");
    assertComplaint(Ran.of("key"), "Give one statement");
    assertComplaint(
        Ran.of("key", "select 1", "--db", "jdbc:postgresql://localhost:1/x"), "cannot be reached");
    assertComplaint(Ran.of("key", "select 1", "--bnd", "x=1"), "Unknown option");
    assertComplaint(Ran.of("key", "select :x, :y", "--bind", "x=1"), "Parameter 'y' has no value");
    assertComplaint(Ran.of("key", "select 1", "--bind", "x=1"), "no parameter 'x'");
    assertComplaint(Ran.of("key", "--file", directory.resolve("none").toString()), "no file");
    Path binary = directory.resolve("binary");
    Files.write(binary, new byte[] {(byte) 0xff, (byte) 0xfe, 0});
    assertComplaint(Ran.of("key", "--file", binary.toString()), "not UTF-8");
    assertThat(Ran.of("--trace", "key", "selec 1").err()).contains("at dev.warmshelf.cli");
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
    return mapper
        .readTree(Ran.of("key", "--json", sql, "--bind", binding).out())
        .get("digest")
        .asText();
  }

  private static void assertComplaint(Ran ran, String message) {
    assertThat(ran.exitCode()).isEqualTo(2);
    assertThat(ran.out()).isEmpty();
    assertThat(ran.err().lines()).hasSize(1);
    assertThat(ran.err()).startsWith("shelf: ").contains(message).doesNotContain("Exception");
  }
}
