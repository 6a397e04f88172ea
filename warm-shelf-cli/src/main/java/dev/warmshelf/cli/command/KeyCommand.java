package dev.warmshelf.cli.command;

import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.InputFile;
import dev.warmshelf.cli.screen.Json;
import dev.warmshelf.statement.SqlStatement;
import java.io.PrintWriter;
import java.nio.file.Path;
import java.sql.SQLException;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.concurrent.Callable;
import java.util.stream.Stream;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

/** {@code shelf key}: what a statement's key is, and whether its answers may be kept. */
@Command(
    name = "key",
    mixinStandardHelpOptions = true,
    description = "Shows a statement's key: normal form, parameters, digest, verdict, footprint.",
    footerHeading = "%nNotes:%n",
    footer = {
      "A value is read as what it looks like: 12 a whole number, 1.50 a decimal, true a boolean, "
          + "2026-05-01 a date, null no value; all else is text, and so is what stands in '...'.",
      "",
      "PostgreSQL itself says what a statement reads. With --db it is yours; else one that the tool "
          + "brings along and stops again, with the tables of --schema FILE or, without that, the demo's.",
      DatabaseOptions.HELP,
      "",
      "Example:",
      "  shelf key \"SELECT * FROM sailing WHERE day = :day\" --bind day=2026-05-01"
    })
public final class KeyCommand implements Callable<Integer> {
  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Parameters(index = "0", arity = "0..1", paramLabel = "SQL", description = "The statement.")
  private @Nullable String sql;

  @Option(
      names = "--bind",
      paramLabel = "NAME=VALUE",
      description = "A parameter's value; repeat it for each. The first question mark is named 1.")
  private List<String> bindings = List.of();

  @Option(names = "--json", description = "Print one JSON object.")
  private boolean json;

  @Option(
      names = "--file",
      paramLabel = "FILE",
      description =
          "Take many statements, each ended by a semicolon or each on a line of its own, and print"
              + " one JSON object a line.")
  private @Nullable Path file;

  @Option(
      names = "--compare",
      paramLabel = "FILE",
      description = "Take two statements, and say at which step their keys part.")
  private @Nullable Path compared;

  @Mixin private final DatabaseOptions named = new DatabaseOptions();

  @Option(
      names = "--schema",
      paramLabel = "FILE",
      description =
          "Run this file's statements in the PostgreSQL that the tool brings along, and ask that.")
  private @Nullable Path schemaFile;

  @Override
  public Integer call() throws Failure {
    PrintWriter out = spec.commandLine().getOut();
    long asked = Stream.of(sql, file, compared).filter(Objects::nonNull).count();
    if (asked != 1) {
      throw new Failure("Give one statement, or --file FILE, or --compare FILE.");
    }
    if (named.isArgument() && schemaFile != null) {
      throw new Failure("Give --db or --schema, not both.");
    }
    try (StatementDatabase database = database()) {
      return explain(database, out);
    } catch (SQLException e) {
      throw Failure.of(e);
    }
  }

  private int explain(StatementDatabase database, PrintWriter out) throws Failure, SQLException {
    if (compared != null) {
      return compare(compared, database, out);
    }
    if (file != null) {
      return explainAll(file, database, out);
    }
    KeyExplanation explanation = KeyExplanation.of(sql == null ? "" : sql, bound(), database);
    if (json) {
      out.println(Json.indented(explanation.fields()));
    }
    if (explanation.isWrongSql()) {
      out.flush();
      throw new Failure("Wrong SQL: " + explanation.reason());
    }
    if (!json) {
      explanation.lines().forEach(out::println);
    }
    out.flush();
    return 0;
  }

  private int explainAll(Path from, StatementDatabase database, PrintWriter out)
      throws Failure, SQLException {
    List<String> statements = SqlStatement.split(InputFile.read(from));
    if (statements.isEmpty()) {
      throw new Failure("There is no statement in " + from + ".");
    }
    for (String statement : statements) {
      out.println(Json.onOneLine(KeyExplanation.of(statement, Map.of(), database).fields()));
    }
    out.flush();
    return 0;
  }

  private int compare(Path from, StatementDatabase database, PrintWriter out)
      throws Failure, SQLException {
    List<String> statements = SqlStatement.split(InputFile.read(from));
    if (statements.size() != 2) {
      throw new Failure(
          "Two statements are compared, but " + from + " has " + statements.size() + ".");
    }
    KeyExplanation one = KeyExplanation.of(statements.get(0), Map.of(), database);
    KeyExplanation other = KeyExplanation.of(statements.get(1), Map.of(), database);
    Optional<String> parting = KeyExplanation.parting(one, other);
    if (json) {
      Map<String, @Nullable Object> fields = new LinkedHashMap<>();
      fields.put("same", parting.isEmpty());
      fields.put("partAt", parting.orElse(null));
      fields.put("statements", List.of(one.fields(), other.fields()));
      out.println(Json.indented(fields));
    } else {
      one.lines().forEach(out::println);
      out.println();
      other.lines().forEach(out::println);
      out.println();
      out.println(
          parting.isEmpty()
              ? "They share a key."
              : "They do not share a key; the first step at which they part: "
                  + parting.get()
                  + ".");
    }
    out.flush();
    return 0;
  }

  private StatementDatabase database() throws Failure {
    if (schemaFile == null && named.isGiven()) {
      return StatementDatabase.at(named);
    }
    return schemaFile == null
        ? StatementDatabase.carried(null, "The demo's schema")
        : StatementDatabase.carried(InputFile.read(schemaFile), schemaFile.toString());
  }

  /** A name bound twice, or without a value, is a slip of the pen. */
  private Map<String, String> bound() throws Failure {
    Map<String, String> values = new LinkedHashMap<>();
    for (String binding : bindings) {
      int at = binding.indexOf('=');
      if (at <= 0) {
        throw new Failure("--bind takes NAME=VALUE, but was given '" + binding + "'.");
      }
      String name = binding.substring(0, at);
      if (values.put(name, binding.substring(at + 1)) != null) {
        throw new Failure("--bind gives '" + name + "' two values; give it one.");
      }
    }
    return values;
  }
}
