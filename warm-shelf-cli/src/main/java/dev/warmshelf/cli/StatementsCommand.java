package dev.warmshelf.cli;

import dev.warmshelf.measure.text.TextTable;
import java.io.IOException;
import java.io.PrintWriter;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import javax.management.remote.JMXConnector;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

/** {@code shelf statements}: what a running program asks by JDBC. */
@Command(
    name = "statements",
    mixinStandardHelpOptions = true,
    description = {
      "Lists what a running program asks through its wrapped data source, the most frequent first:",
      "the digest of each statement's normal form, which rules name; how often it was executed; how "
          + "often a shelf has answered; and what becomes of it, or why nothing is kept."
    },
    footer = {
      "",
      "docs/configuration.md says how rules are written.",
      "",
      "Example:",
      "  shelf statements 12345"
    })
final class StatementsCommand implements Callable<Integer> {
  private static final int PARTS = 5;
  private static final int STANDING = 40;
  private static final int WIDTH = 60;

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Parameters(
      index = "0",
      paramLabel = "PID|HOST:PORT",
      description = "A process of this machine, or where its JMX is.")
  @SuppressWarnings("NullAway.Init") // required
  private String target;

  @Option(names = "--json", description = "Print one JSON object a line, with whole statements.")
  private boolean json;

  @Override
  public Integer call() throws Exception {
    PrintWriter out = spec.commandLine().getOut();
    try (JMXConnector connector = JavaProgram.connect(target)) {
      List<String> lines = new ProgramMeters(connector.getMBeanServerConnection()).statements();
      if (lines.isEmpty()) {
        throw new Failure(
            "The program has asked nothing through a wrapped data source; docs/configuration.md"
                + " says how it gets one.");
      }
      if (json) {
        for (String line : lines) {
          out.println(Json.onOneLine(fields(line.split("\t", PARTS))));
        }
      } else {
        table(lines).forEach(out::println);
      }
    } catch (IOException e) {
      throw new Failure("The program " + target + " has ended, or does not answer any more.", e);
    }
    out.flush();
    return 0;
  }

  private static Map<String, Object> fields(String[] parts) {
    Map<String, Object> fields = new LinkedHashMap<>();
    fields.put("formDigest", parts[0]);
    fields.put("executions", Long.parseLong(parts[1]));
    fields.put("answered", Long.parseLong(parts[2]));
    fields.put("standing", parts[3]);
    fields.put("normalForm", parts[4]);
    return fields;
  }

  private static List<String> table(List<String> lines) {
    TextTable table =
        new TextTable(
            List.of("form", "executed", "from a shelf", "standing", "statement"),
            TextTable.Side.LEFT);
    for (String line : lines) {
      String[] parts = line.split("\t", PARTS);
      table.row(
          List.of(parts[0], parts[1], parts[2], cut(parts[3], STANDING), cut(parts[4], WIDTH)));
    }
    return table.lines("");
  }

  private static String cut(String text, int most) {
    return text.length() <= most ? text : text.substring(0, most - 1) + "\u2026";
  }
}
