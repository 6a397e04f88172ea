package dev.warmshelf.cli.command;

import dev.warmshelf.cli.program.ProgramDesk;
import dev.warmshelf.cli.program.ProgramTarget;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.Json;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.measure.text.TextTable;
import dev.warmshelf.measure.workload.RecordedStatements;
import dev.warmshelf.measure.workload.RecordedStatements.Recorded;
import dev.warmshelf.shelf.AskedStatement;
import java.io.IOException;
import java.io.PrintWriter;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import java.util.concurrent.TimeUnit;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

/** {@code shelf statements}: what a running program asks. */
@Command(
    name = "statements",
    mixinStandardHelpOptions = true,
    description = {
      "Lists what a running program asks, by its queries and through its wrapped data source, the "
          + "most frequent first: a query's name; the digest of the statement's normal form, which "
          + "rules name; how often a shelf had the answer, had to load it, or the database was asked "
          + "directly; and what becomes of it, or why nothing is kept.",
      "Of a recording, those first that took most of the database's time; 'questions' says how many "
          + "different ones were asked: what is asked often and with few questions is worth keeping."
    },
    footerHeading = "%nNotes:%n",
    footer = {
      "docs/configuration.md says how rules are written, and how a program is recorded.",
      "",
      "Example:",
      "  shelf statements 12345",
      "  shelf statements --recording questions.jsonl.gz"
    })
public final class StatementsCommand implements Callable<Integer> {
  private static final int STANDING = 40;
  private static final int WIDTH = 60;

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Parameters(
      index = "0",
      arity = "0..1",
      paramLabel = "PID|HOST:PORT",
      description = "A process of this machine, or where its JMX is.")
  private @Nullable String target;

  @Option(names = "--recording", paramLabel = "FILE", description = "A recording of a program.")
  private @Nullable Path recording;

  @Option(names = "--json", description = "Print one JSON object a line, with whole statements.")
  private boolean json;

  @Override
  public Integer call() throws Failure {
    PrintWriter out = spec.commandLine().getOut();
    if (target != null && recording == null) {
      running(target).forEach(out::println);
    } else if (recording != null && target == null) {
      recorded(recording).forEach(out::println);
    } else {
      throw new Failure("Give a running program, or --recording FILE.");
    }
    out.flush();
    return 0;
  }

  private List<String> running(String program) throws Failure {
    List<AskedStatement> asked = ProgramTarget.of(program).ask(ProgramDesk::statements);
    if (asked.isEmpty()) {
      throw new Failure(
          "The program has asked nothing yet, neither by a query nor through a wrapped data source.");
    }
    return json ? asked.stream().map(each -> Json.onOneLine(each.fields())).toList() : table(asked);
  }

  /** What a recording has. */
  static List<Recorded> read(Path file) throws Failure {
    try {
      return RecordedStatements.of(file);
    } catch (IOException e) {
      throw Failure.of("The recording " + file + " cannot be read", e);
    }
  }

  private List<String> recorded(Path file) throws Failure {
    List<Recorded> all = read(file);
    return json
        ? all.stream().map(each -> Json.onOneLine(fields(each))).toList()
        : recordedTable(all);
  }

  private static Map<String, Object> fields(Recorded recorded) {
    Map<String, Object> fields = new LinkedHashMap<>();
    fields.put("formDigest", recorded.formDigest());
    fields.put("executions", recorded.counts().asked());
    fields.put("questions", recorded.counts().questions());
    fields.put("answered", recorded.counts().answered());
    fields.put("databaseMicros", recorded.counts().databaseMicros());
    fields.put("shelf", recorded.shelf());
    fields.put("normalForm", recorded.normalForm());
    return fields;
  }

  private static List<String> recordedTable(List<Recorded> all) {
    TextTable table =
        new TextTable(
            List.of(
                "form", "executed", "questions", "from a shelf", "database", "shelf", "statement"),
            TextTable.Side.LEFT);
    for (Recorded each : all) {
      RecordedStatements.Counts counts = each.counts();
      table.row(
          List.of(
              each.formDigest(),
              Text.count(counts.asked()),
              Text.count(counts.questions()),
              Text.count(counts.answered()),
              Text.nanos(TimeUnit.MICROSECONDS.toNanos(counts.databaseMicros())),
              each.shelf().isEmpty() ? "none" : each.shelf(),
              Text.cut(each.normalForm(), WIDTH)));
    }
    return table.lines("");
  }

  private static List<String> table(List<AskedStatement> asked) {
    TextTable table =
        new TextTable(
            List.of("name", "form", "hits", "misses", "direct", "standing", "statement"),
            TextTable.Side.LEFT);
    for (AskedStatement each : asked) {
      table.row(
          List.of(
              each.name(),
              each.formDigest(),
              Text.count(each.outcomes().hits()),
              Text.count(each.outcomes().misses()),
              Text.count(each.outcomes().direct()),
              Text.cut(each.standing(), STANDING),
              Text.cut(each.normalForm(), WIDTH)));
    }
    return table.lines("");
  }
}
