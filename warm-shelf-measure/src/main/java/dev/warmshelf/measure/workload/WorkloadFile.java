package dev.warmshelf.measure.workload;

import dev.warmshelf.measure.workload.VersionColumn.Identity;
import dev.warmshelf.measure.workload.VersionColumn.Over;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.text.SqlTextException;
import dev.warmshelf.yaml.YamlException;
import dev.warmshelf.yaml.YamlNode;
import java.time.Duration;
import java.time.LocalDate;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Pattern;

/**
 * Reads a workload from a YAML file (YAML 1.2, JSON schema of its chapter 10). Every word of the
 * file must be known, so that a mistyped one is not silently without effect.
 */
public final class WorkloadFile {
  private static final List<String> READING_VERBS = List.of("select", "with", "values", "table");

  /** What may stand inside a statement that begins like a read. */
  private static final Pattern WRITES =
      Pattern.compile(
          "\\b(insert into|delete from|merge into|update \\S+ set|for (no key )?update|for (key )?share)\\b");

  /** What a statement is there for. */
  private enum Role {
    QUERY,
    CHANGE
  }

  private WorkloadFile() {}

  /**
   * Reads a workload.
   *
   * @throws YamlException if it is not one; the message names the line and what is expected
   */
  public static Workload read(String text) {
    YamlNode.Block top = YamlNode.parse(text).block();
    top.allow("workload", "data", "reads-per-second", "writes-per-second", "queries", "changes");
    Map<String, String> data = new LinkedHashMap<>();
    top.find("data")
        .ifPresent(facts -> facts.block().each((label, sql) -> data.put(label, sql.text())));
    List<Workload.Statement> queries = statements(top.get("queries"), Role.QUERY);
    if (queries.isEmpty()) {
      throw top.get("queries").wrong("there must be at least one query");
    }
    List<Workload.Statement> changes =
        top.find("changes").map(node -> statements(node, Role.CHANGE)).orElse(List.of());
    return new Workload(
        top.get("workload").text(),
        data,
        queries,
        changes,
        top.find("reads-per-second").map(node -> node.number(0)).orElse(0.0),
        top.find("writes-per-second").map(node -> node.number(0)).orElse(0.0));
  }

  private static List<Workload.Statement> statements(YamlNode node, Role role) {
    List<Workload.Statement> statements = new ArrayList<>();
    node.block().each((label, body) -> statements.add(statement(label, body, role)));
    return List.copyOf(statements);
  }

  private static Workload.Statement statement(String label, YamlNode node, Role role) {
    YamlNode.Block body = node.block();
    body.allow("weight", "sql", "inputs", "leaving-out", "versions", "may-be-old");
    SqlStatement sql = sql(body.get("sql"), role);
    Map<String, Input> inputs = new LinkedHashMap<>();
    body.find("inputs")
        .ifPresent(all -> all.block().each((name, input) -> inputs.put(name, input(input))));
    Set<String> leftOut = new LinkedHashSet<>();
    body.find("leaving-out")
        .ifPresent(all -> all.items().forEach(name -> leftOut.add(name.text())));
    requireFit(body, sql, inputs, leftOut);
    List<VersionColumn> versions = new ArrayList<>();
    body.find("versions")
        .ifPresent(all -> all.items().forEach(each -> versions.add(version(each, inputs))));
    return new Workload.Statement(
        label,
        body.find("weight").map(weight -> weight.number(0)).orElse(1.0),
        sql,
        inputs,
        leftOut,
        List.copyOf(versions),
        body.find("may-be-old").map(bound -> seconds(bound.number(0))).orElse(Duration.ZERO));
  }

  private static Duration seconds(double count) {
    return Duration.ofNanos((long) (count * 1e9));
  }

  private static SqlStatement sql(YamlNode node, Role role) {
    SqlStatement sql;
    try {
      sql = SqlStatement.of(node.text());
    } catch (SqlTextException e) {
      throw node.wrong("this is not SQL: " + e.getMessage());
    }
    String verb = sql.normalForm().split("\\W+", 2)[0].toLowerCase(Locale.ROOT);
    if (role == Role.QUERY && WRITES.matcher(sql.normalForm()).find()) {
      throw node.wrong("a query must only read, but this statement writes or locks");
    }
    if (role == Role.QUERY && !READING_VERBS.contains(verb)) {
      throw node.wrong("a query begins with one of " + READING_VERBS + ", but this with " + verb);
    }
    return sql;
  }

  private static void requireFit(
      YamlNode.Block body, SqlStatement sql, Map<String, Input> inputs, Set<String> leftOut) {
    Set<String> parameters = new HashSet<>(sql.parameters());
    for (String parameter : sql.parameters()) {
      if (!inputs.containsKey(parameter)) {
        throw body.wrong(
            "the SQL has the parameter ':"
                + parameter
                + "', but 'inputs' does not say how to draw"
                + " it");
      }
      if (leftOut.contains(parameter)) {
        throw body.wrong(
            "the SQL has the parameter ':" + parameter + "', so it cannot be left out of the key");
      }
    }
    for (String input : inputs.keySet()) {
      if (!parameters.contains(input) && !leftOut.contains(input)) {
        throw body.wrong(
            "the input '"
                + input
                + "' is no parameter of the SQL; list it under 'leaving-out' to"
                + " send it along, or remove it");
      }
    }
  }

  private static Input input(YamlNode node) {
    YamlNode.Block body = node.block();
    body.allow("from", "to", "one-of", "zipf", "as");
    List<Object> oneOf = new ArrayList<>();
    body.find("one-of").ifPresent(all -> all.items().forEach(item -> oneOf.add(item.value())));
    Optional<Input.Range> range = Optional.empty();
    if (oneOf.isEmpty()) {
      range = Optional.of(new Input.Range(bound(body.get("from")), bound(body.get("to"))));
    } else if (body.find("from").isPresent() || body.find("to").isPresent()) {
      throw body.wrong("give either 'one-of', or 'from' and 'to'");
    }
    return new Input(
        List.copyOf(oneOf),
        range,
        body.find("zipf").map(exponent -> exponent.number(0)).orElse(0.0),
        body.find("as").map(YamlNode::text));
  }

  private static Input.Bound bound(YamlNode node) {
    if (node.isBlock()) {
      YamlNode.Block body = node.block();
      body.allow("sql");
      return new Input.Bound(Optional.empty(), Optional.of(body.get("sql").text()), node.line());
    }
    Object value = node.value();
    if (value instanceof Long || value instanceof Integer) {
      return new Input.Bound(
          Optional.of(((Number) value).longValue()), Optional.empty(), node.line());
    }
    try {
      return new Input.Bound(
          Optional.of(LocalDate.parse(node.text())), Optional.empty(), node.line());
    } catch (DateTimeParseException e) {
      throw node.wrong(
          "'"
              + node.text()
              + "' is neither a whole number, nor a date like 2026-05-01, nor {sql:"
              + " SELECT ...}");
    }
  }

  private static VersionColumn version(YamlNode node, Map<String, Input> inputs) {
    YamlNode.Block body = node.block();
    body.allow("of", "id", "version", "over-rows");
    Over over =
        body.find("over-rows")
            .map(
                word -> {
                  String text = word.text().toUpperCase(Locale.ROOT);
                  for (Over each : Over.values()) {
                    if (each.name().equals(text)) {
                      return each;
                    }
                  }
                  throw word.wrong("'over-rows' is max or sum, not '" + word.text() + "'");
                })
            .orElse(Over.MAX);
    return new VersionColumn(
        body.get("of").text(), identity(body.get("id"), inputs), body.get("version").text(), over);
  }

  private static Identity identity(YamlNode node, Map<String, Input> inputs) {
    String text = node.text();
    if (text.startsWith(":")) {
      String input = text.substring(1);
      if (!inputs.containsKey(input)) {
        throw node.wrong("there is no input '" + input + "'; there are " + inputs.keySet());
      }
      return new Identity(Identity.Kind.INPUT, input);
    }
    return text.startsWith("'") && text.endsWith("'") && text.length() > 2
        ? new Identity(Identity.Kind.CONSTANT, text.substring(1, text.length() - 1))
        : new Identity(Identity.Kind.COLUMN, text);
  }
}
