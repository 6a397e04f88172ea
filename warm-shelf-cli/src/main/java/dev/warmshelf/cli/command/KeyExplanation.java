package dev.warmshelf.cli.command;

import dev.warmshelf.answer.Binding;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.key.ValuePlan;
import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.FootprintPlan;
import dev.warmshelf.statement.Analysed;
import dev.warmshelf.statement.AnalysedText;
import dev.warmshelf.statement.Analysis;
import dev.warmshelf.statement.Analysis.TableRead;
import dev.warmshelf.statement.Analysis.Tie;
import dev.warmshelf.statement.Pin;
import dev.warmshelf.statement.Refusal;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.TrackedColumns;
import dev.warmshelf.statement.Verdict;
import dev.warmshelf.statement.text.SqlTextException;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.sql.SQLException;
import java.time.DateTimeException;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.jspecify.annotations.Nullable;

/** How a statement's key came to be, for a reader or a program. */
public final class KeyExplanation {
  private static final String INDENT = " ".repeat(14);
  private static final int LONGEST_LINE = 100;
  private static final Pattern BLANK = Pattern.compile(" ");

  private final StatementDatabase database;
  private final String statement;
  private final @Nullable SqlStatement parsed;
  private final Map<String, @Nullable Object> values = new LinkedHashMap<>();
  private final @Nullable Key key;
  private final Found found;

  /**
   * What was found of a statement.
   *
   * @param reason why its answers may not be kept; null if they may
   * @param wrong whether it is no statement at all
   * @param ties by which it is found out whether changed rows can reach an answer
   * @param notMended why its answers are not mended; empty if they are
   */
  private record Found(
      @Nullable String reason,
      boolean wrong,
      List<String> footprint,
      SortedMap<String, List<String>> columns,
      List<String> pins,
      List<String> fromAnswer,
      List<String> mending,
      List<String> ties,
      String notMended) {
    static Found refused(@Nullable String reason, boolean wrong) {
      return new Found(
          reason,
          wrong,
          List.of(),
          new TreeMap<>(),
          List.of(),
          List.of(),
          List.of(),
          List.of(),
          "");
    }
  }

  private KeyExplanation(String statement, Map<String, String> bindings, StatementDatabase database)
      throws Failure, SQLException {
    this.database = database;
    this.statement = statement;
    SqlStatement read;
    try {
      read = SqlStatement.of(statement);
    } catch (SqlTextException e) {
      this.parsed = null;
      this.key = null;
      this.found = Found.refused(e.getMessage(), true);
      return;
    }
    this.parsed = read;
    bind(read, bindings);
    this.key = keyOf(read);
    this.found = find(read);
  }

  private Found find(SqlStatement read) throws SQLException {
    Analysed analysed = database.analyse(read, types(read));
    Verdict verdict = analysed.verdict(List.of(), TrackedColumns.NOTHING);
    if (!(verdict instanceof Verdict.Keepable keepable)) {
      Refusal refusal = ((Verdict.Refused) verdict).refusal();
      boolean wrong =
          refusal.reason() == Refusal.Reason.NOT_UNDERSTOOD
              || refusal.reason() == Refusal.Reason.EMPTY;
      return Found.refused(refusal.message(), wrong);
    }
    SortedMap<String, List<String>> columns = new TreeMap<>();
    analysed
        .analysis()
        .columns()
        .forEach((table, names) -> columns.put(table.name(), List.copyOf(names)));
    return new Found(
        null,
        false,
        keepable.tables().lanes().stream().map(Lane::name).toList(),
        columns,
        analysed.pins().stream().map(this::pin).toList(),
        analysed.finestReaches().stream()
            .filter(FootprintPlan.Reach.Told.class::isInstance)
            .map(FootprintPlan.Reach.Told.class::cast)
            .map(
                told ->
                    "%s[%s = column %d of the answer]"
                        .formatted(told.table(), told.column(), told.position() + 1))
            .toList(),
        analysed.analysis().mendable().divisions().stream().map(KeyExplanation::division).toList(),
        analysed.analysis().tables().stream().flatMap(KeyExplanation::tied).distinct().toList(),
        analysed.analysis().mendable().whyNot());
  }

  private static Stream<String> tied(TableRead read) {
    return read.ties().stream()
        .filter(tie -> !read.told().containsKey(tie.column())) // there the answer knows more
        .map(tie -> tied(read, tie));
  }

  private static String tied(TableRead read, Tie tie) {
    List<String> pinned = new ArrayList<>();
    tie.to().pins().keySet().forEach(column -> pinned.add(tie.to().table() + "." + column));
    tie.to().ties().forEach(next -> pinned.add(tied(tie.to(), next)));
    return "%s.%s to %s.%s (by %s)"
        .formatted(
            read.table().name(),
            tie.column(),
            tie.to().table().name(),
            tie.its(),
            String.join(", ", pinned));
  }

  private static String division(Analysis.Division division) {
    return "by column %d of the answer, after changes told by %s"
        .formatted(
            division.position() + 1,
            division.tellers().entrySet().stream()
                .sorted(Map.Entry.comparingByKey())
                .flatMap(
                    table ->
                        table.getValue().stream()
                            .map(teller -> table.getKey().name() + "." + teller.column()))
                .distinct()
                .collect(Collectors.joining(", ")));
  }

  /** The types of the values that are given; where none is, the place decides. */
  private List<String> types(SqlStatement read) {
    return read.parameters().stream()
        .map(
            name ->
                values.containsKey(name) ? Binding.typeOf(values.get(name)) : AnalysedText.UNKNOWN)
        .toList();
  }

  /**
   * @param bindings parameters' values as typed; all of them, or none
   * @throws Failure if only some parameters have a value, or a name is unknown
   * @throws SQLException if the database could not be asked
   */
  public static KeyExplanation of(
      String statement, Map<String, String> bindings, StatementDatabase database)
      throws Failure, SQLException {
    return new KeyExplanation(statement, bindings, database);
  }

  /** The key; a parameter that was given no value counts as a value of its own kind. */
  private Key keyOf(SqlStatement read) {
    List<@Nullable Object> all = new ArrayList<>();
    for (String name : read.parameters()) {
      all.add(values.containsKey(name) ? values.get(name) : List.of("unset"));
    }
    return Key.of(
        KeyShape.of(database.session(), read.normalForm()),
        read.plan(),
        read.parameters().toArray(new String[0]),
        all.toArray());
  }

  /** The first step at which two statements part, in words; empty if they share a key. */
  static Optional<String> parting(KeyExplanation one, KeyExplanation other) {
    if (one.parsed == null || other.parsed == null) {
      return Optional.of("a text that is no statement");
    } else if (!one.parsed.normalForm().equals(other.parsed.normalForm())) {
      return Optional.of("normal form");
    } else if (!Objects.equals(one.key, other.key)) {
      return Optional.of("values");
    }
    return Optional.empty();
  }

  boolean isWrongSql() {
    return found.wrong();
  }

  @Nullable String reason() {
    return found.reason();
  }

  /** The explanation as a JSON object's fields, in order. */
  Map<String, @Nullable Object> fields() {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("statement", statement);
    fields.put("normalForm", parsed == null ? null : parsed.normalForm());
    fields.put("formDigest", parsed == null ? null : parsed.formDigest());
    fields.put("parameters", parameterFields());
    if (!database.session().isEmpty()) {
      fields.put("session", database.session());
    }
    fields.put("digest", key == null ? null : key.digest());
    fields.put("verdict", found.reason() == null ? "keepable" : "refused");
    fields.put("reason", found.reason());
    fields.put("footprint", found.footprint());
    fields.put("columns", found.columns());
    fields.put("pinned", found.pins());
    fields.put("toldByAnswer", found.fromAnswer());
    fields.put("mendedBy", found.mending());
    fields.put("tied", found.ties());
    fields.put("notMended", found.notMended().isEmpty() ? null : found.notMended());
    return fields;
  }

  /** The explanation as text. */
  public List<String> lines() {
    List<String> lines = new ArrayList<>();
    add(lines, "statement", statement.strip().lines().toList());
    add(lines, "normal form", wrapped(parsed == null ? "" : parsed.normalForm()));
    add(lines, "form digest", List.of(parsed == null ? "" : parsed.formDigest()));
    add(lines, "parameters", parameterLines());
    if (!database.session().isEmpty()) {
      add(lines, "session", wrapped(database.session()));
    }
    add(lines, "digest", List.of(key == null ? "" : key.digest()));
    String reason = found.reason();
    add(lines, "verdict", List.of(reason == null ? "keepable" : "refused: " + reason));
    if (found.reason() == null) {
      add(
          lines,
          "footprint",
          found.footprint().isEmpty() ? List.of("reads no table") : found.footprint());
      if (!found.columns().isEmpty()) {
        add(lines, "columns", columnLines());
      }
      if (!found.pins().isEmpty()) {
        add(lines, "pinned", found.pins());
      }
      if (!found.fromAnswer().isEmpty()) {
        add(lines, "answer tells", found.fromAnswer());
      }
      if (!found.ties().isEmpty()) {
        add(lines, "tied", found.ties());
      }
      add(
          lines,
          "mended",
          found.notMended().isEmpty() ? found.mending() : wrapped("no: " + found.notMended()));
    }
    if (!database.note().isEmpty()) {
      add(lines, "note", List.of(database.note()));
    }
    return lines;
  }

  private List<String> columnLines() {
    List<String> lines = new ArrayList<>();
    found
        .columns()
        .forEach(
            (table, names) -> lines.addAll(wrapped(table + "(" + String.join(", ", names) + ")")));
    return lines;
  }

  private List<Map<String, @Nullable Object>> parameterFields() {
    List<Map<String, @Nullable Object>> fields = new ArrayList<>();
    if (parsed != null) {
      for (String name : parsed.parameters()) {
        Map<String, @Nullable Object> parameter = new LinkedHashMap<>();
        parameter.put("name", name);
        if (values.containsKey(name)) {
          Object value = values.get(name);
          parameter.put("value", value == null ? null : value.toString());
          parameter.put("type", typeName(value));
        }
        fields.add(parameter);
      }
    }
    return fields;
  }

  private List<String> parameterLines() {
    if (parsed == null) {
      return List.of("none");
    }
    List<String> lines = new ArrayList<>();
    for (ValuePlan.Place place : parsed.plan().places()) {
      List<String> members = place.sources().stream().map(this::member).toList();
      String shown =
          members.size() == 1 ? members.get(0) : "a set of " + String.join(", ", members);
      lines.add("$" + (lines.size() + 1) + "  " + shown);
    }
    return lines.isEmpty() ? List.of("none") : lines;
  }

  /** A pin as text: {@code public.booking[agent_id = 7]}. */
  private String pin(Pin pin) {
    List<String> values = pin.values().stream().map(this::pinned).toList();
    return pin.table()
        + "["
        + pin.column()
        + (values.size() == 1 ? " = " + values.get(0) : " in " + String.join(", ", values))
        + "]";
  }

  private String pinned(Source source) {
    if (source instanceof Source.Constant constant) {
      return String.valueOf(constant.value());
    }
    String name =
        parsed == null ? "" : parsed.parameters().get(((Source.Parameter) source).index());
    return values.containsKey(name) ? String.valueOf(values.get(name)) : ":" + name;
  }

  private String member(Source source) {
    if (source instanceof Source.Constant constant) {
      return constant.value() + " (" + typeName(constant.value()) + ", a constant)";
    }
    String name =
        parsed == null ? "" : parsed.parameters().get(((Source.Parameter) source).index());
    return values.containsKey(name)
        ? name + " = " + values.get(name) + " (" + typeName(values.get(name)) + ")"
        : name + ", which has no value; the digest takes it as unset";
  }

  /** A long line broken at blanks, to be read; the JSON has it whole. */
  private static List<String> wrapped(String text) {
    List<String> lines = new ArrayList<>();
    StringBuilder line = new StringBuilder();
    for (String word : BLANK.split(text, -1)) {
      if (line.length() > 0 && line.length() + 1 + word.length() > LONGEST_LINE) {
        lines.add(line.toString());
        line.setLength(0);
      }
      line.append(line.length() == 0 ? "" : " ").append(word);
    }
    lines.add(line.toString());
    return lines;
  }

  private static void add(List<String> lines, String name, List<String> content) {
    for (int i = 0; i < content.size(); i++) {
      lines.add((i == 0 ? String.format("%-14s", name) : INDENT) + content.get(i));
    }
  }

  private void bind(SqlStatement to, Map<String, String> bindings) throws Failure {
    for (String name : bindings.keySet()) {
      if (!to.parameters().contains(name)) {
        throw new Failure(
            "The statement has no parameter '" + name + "'; it has " + to.parameters() + ".");
      }
    }
    if (bindings.isEmpty()) {
      return;
    }
    for (String name : to.parameters()) {
      String typed = bindings.get(name);
      if (typed == null) {
        throw new Failure("Parameter '" + name + "' has no value; add --bind " + name + "=VALUE.");
      }
      values.put(name, read(typed));
    }
  }

  /** A value as what it looks like. */
  public static @Nullable Object read(String typed) {
    if (typed.equals("null")) {
      return null;
    } else if (typed.equals("true") || typed.equals("false")) {
      return Boolean.valueOf(typed);
    } else if (typed.matches("-?\\d{1,18}")) {
      return Long.valueOf(typed);
    } else if (typed.matches("-?\\d+")) {
      return new BigInteger(typed);
    } else if (typed.matches("-?\\d*\\.\\d+")) {
      return new BigDecimal(typed);
    } else if (typed.matches("\\d{4}-\\d{2}-\\d{2}")) {
      try {
        return LocalDate.parse(typed);
      } catch (DateTimeException e) {
        return typed; // looks like a date, but there is no such day
      }
    } else if (typed.length() >= 2 && typed.startsWith("'") && typed.endsWith("'")) {
      return typed.substring(1, typed.length() - 1);
    }
    return typed;
  }

  private static String typeName(@Nullable Object value) {
    if (value == null) {
      return "null";
    } else if (value instanceof Long || value instanceof BigInteger) {
      return "whole number";
    } else if (value instanceof BigDecimal) {
      return "decimal";
    } else if (value instanceof Boolean) {
      return "boolean";
    }
    return value instanceof LocalDate ? "date" : "text";
  }
}
