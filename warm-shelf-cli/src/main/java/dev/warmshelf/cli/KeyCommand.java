package dev.warmshelf.cli;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.SerializationFeature;
import dev.warmshelf.sql.SqlStatement;
import java.io.IOException;
import java.io.PrintWriter;
import java.nio.charset.MalformedInputException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

/** {@code shelf key}: what a statement's key is, and whether its answers may be kept. */
@Command(
    name = "key",
    mixinStandardHelpOptions = true,
    description = "Shows a statement's key: normal form, parameters, digest, verdict, footprint.",
    footer = {
      "",
      "A value is read as what it looks like: 12 a whole number, 1.50 a decimal, true a boolean,",
      "2026-05-01 a date, null no value; all else is text, and so is what stands in '...'.",
      "",
      "Without a database, every name is taken for a table, in schema public unless qualified.",
      "",
      "Example:",
      "  shelf key \"SELECT * FROM sailing WHERE day = :day\" --bind day=2026-05-01"
    })
final class KeyCommand implements Callable<Integer> {
  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Parameters(index = "0", arity = "0..1", paramLabel = "SQL", description = "The statement.")
  private @Nullable String sql;

  @Option(
      names = "--bind",
      paramLabel = "NAME=VALUE",
      description = "A parameter's value; repeat it for each. The first question mark is named 1.")
  private Map<String, String> bindings = new LinkedHashMap<>();

  @Option(names = "--json", description = "Print one JSON object.")
  private boolean json;

  @Option(
      names = "--file",
      paramLabel = "FILE",
      description =
          "Take many statements, each ended by a semicolon or each on a line of its own, and print"
              + " one JSON object a line.")
  private @Nullable Path file;

  @Override
  public Integer call() throws Failure, JsonProcessingException {
    PrintWriter out = spec.commandLine().getOut();
    if ((sql == null) == (file == null)) {
      throw new Failure("Give one statement, or --file FILE. See 'shelf key --help'.");
    }
    if (file != null) {
      return explainAll(file, out);
    }
    KeyExplanation explanation = KeyExplanation.of(sql == null ? "" : sql, bindings);
    if (json) {
      out.println(
          new ObjectMapper()
              .enable(SerializationFeature.INDENT_OUTPUT)
              .writeValueAsString(explanation.fields()));
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

  private int explainAll(Path from, PrintWriter out) throws Failure, JsonProcessingException {
    ObjectMapper mapper = new ObjectMapper();
    List<String> statements = SqlStatement.split(read(from));
    if (statements.isEmpty()) {
      throw new Failure("There is no statement in " + from + ".");
    }
    for (String statement : statements) {
      out.println(mapper.writeValueAsString(KeyExplanation.of(statement, Map.of()).fields()));
    }
    out.flush();
    return 0;
  }

  private static String read(Path from) throws Failure {
    try {
      return Files.readString(from);
    } catch (NoSuchFileException e) {
      throw new Failure("There is no file " + from + ".", e);
    } catch (MalformedInputException e) {
      throw new Failure("The file " + from + " is not UTF-8 text.", e);
    } catch (IOException e) {
      throw new Failure("The file " + from + " cannot be read: " + e.getMessage(), e);
    }
  }
}
