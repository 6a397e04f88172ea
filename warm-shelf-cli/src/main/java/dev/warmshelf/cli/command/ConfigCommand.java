package dev.warmshelf.cli.command;

import dev.warmshelf.cli.command.ConfigurationCheck.Judged;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.InputFile;
import dev.warmshelf.cli.screen.Json;
import dev.warmshelf.config.Configuration;
import dev.warmshelf.config.ConfigurationException;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.measure.text.TextTable;
import dev.warmshelf.measure.workload.RecordedStatements.Recorded;
import dev.warmshelf.shelf.Rule;
import java.io.PrintWriter;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeSet;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

/** {@code shelf config}: configuration files. */
@Command(
    name = "config",
    mixinStandardHelpOptions = true,
    description = "Checks the file that puts shelves under a program.",
    footerHeading = "%nNotes:%n",
    footer = {
      "docs/configuration.md describes the file.",
      "",
      "Example:",
      "  shelf config check warm-shelf.yaml",
      "  shelf config check warm-shelf.yaml --db jdbc:postgresql://localhost/ferries"
    })
public final class ConfigCommand implements Runnable {
  private static final int STANDING = 60;
  private static final int WIDTH = 60;

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Override
  public void run() {
    spec.commandLine().usage(spec.commandLine().getOut());
  }

  @Command(
      name = "check",
      mixinStandardHelpOptions = true,
      description = {
        "Says what a file sets, or all that is wrong with it, each with its line and what to do.",
        "With --db the shelves are opened over that database and closed again: whether it can be "
            + "reached, whether the journal is there and tells of the tables that rules name, and "
            + "whether they may be read.",
        "With a recording of the program beside it, also which rule each of its statements falls "
            + "under, and whether the database lets its answers be kept."
      },
      footerHeading = "%nNotes:%n",
      footer = {
        DatabaseOptions.HELP,
        "",
        "Exit codes: 0 all is well; 1 something is wrong with the file, or with the database; 2 it "
            + "could not be checked.",
        "",
        "Example:",
        "  shelf config check warm-shelf.yaml",
        "  shelf config check warm-shelf.yaml --db jdbc:postgresql://localhost/ferries \\",
        "      --recording questions.jsonl.gz"
      })
  int check(
      @Parameters(paramLabel = "FILE", description = "The configuration.") Path file,
      @Option(names = "--json", description = "Print one JSON object.") boolean json,
      @Option(
              names = "--recording",
              paramLabel = "FILE",
              description = "What the program asks; to be judged with --db.")
          @Nullable Path recording,
      @Mixin DatabaseOptions database)
      throws Failure {
    InputFile.read(file);
    if (recording != null && !database.isGiven()) {
      throw new Failure("The database judges the statements of a recording; add --db URL.");
    }
    List<Recorded> recorded = recording == null ? List.of() : StatementsCommand.read(recording);
    Map<String, Object> fields = new LinkedHashMap<>();
    List<String> problems = new ArrayList<>();
    List<String> said = new ArrayList<>();
    fields.put("file", file.toString());
    try {
      Configuration read = Configuration.read(file);
      said.addAll(lines(read));
      fields.put("enabled", read.isEnabled());
      fields.put("shelves", new TreeSet<>(read.shelves().keySet()));
      fields.put("rules", read.rules().stream().map(Rule::toString).toList());
      if (database.isGiven()) {
        ConfigurationCheck check = ConfigurationCheck.of(read, database, recorded);
        problems.addAll(check.problems());
        said.add("database     " + (problems.isEmpty() ? "as it must be" : "see below"));
        if (!check.judged().isEmpty()) {
          said.addAll(judged(check));
          fields.put("statements", check.judged().stream().map(each -> fields(each)).toList());
          fields.put("idleRules", check.idle().stream().map(Rule::toString).toList());
        }
      }
    } catch (ConfigurationException e) {
      problems.addAll(e.mistakes());
    }
    fields.put("problems", problems);
    print(json ? List.of(Json.indented(fields)) : said, json ? List.of() : problems, file);
    return problems.isEmpty() ? 0 : 1;
  }

  private void print(List<String> said, List<String> problems, Path file) {
    PrintWriter out = spec.commandLine().getOut();
    said.forEach(out::println);
    if (!problems.isEmpty()) {
      out.println(file + ":");
      problems.forEach(problem -> out.println("  " + problem));
    }
    out.flush();
  }

  private static List<String> lines(Configuration read) {
    List<String> lines = new ArrayList<>();
    lines.add("configured   " + read.name() + (read.isEnabled() ? "" : ", turned off"));
    String label = "shelves      ";
    for (String shelf : new TreeSet<>(read.shelves().keySet())) {
      lines.add(label + shelf);
      label = "             ";
    }
    label = "rules        ";
    for (Rule rule : read.rules()) {
      lines.add(label + rule);
      label = "             ";
    }
    read.warmStart().ifPresent(start -> lines.add("warm start   " + start.file()));
    read.sharedStore().ifPresent(where -> lines.add("shared       " + where));
    if (read.rules().isEmpty()) {
      lines.add(label + "none: nothing is kept of what the program asks by JDBC");
    }
    return lines;
  }

  private static List<String> judged(ConfigurationCheck check) {
    TextTable table =
        new TextTable(List.of("form", "executed", "standing", "statement"), TextTable.Side.LEFT);
    for (Judged each : check.judged()) {
      table.row(
          List.of(
              each.recorded().formDigest(),
              Text.count(each.recorded().counts().asked()),
              Text.cut(each.prospect().standing(), STANDING),
              Text.cut(each.recorded().normalForm(), WIDTH)));
    }
    List<String> lines = new ArrayList<>(List.of(""));
    lines.addAll(table.lines(""));
    check.idle().forEach(rule -> lines.add("fits none of these: " + rule));
    return lines;
  }

  private static Map<String, Object> fields(Judged judged) {
    Map<String, Object> fields = new LinkedHashMap<>();
    fields.put("formDigest", judged.recorded().formDigest());
    fields.put("executions", judged.recorded().counts().asked());
    fields.put("rule", judged.prospect().rule().map(Rule::toString).orElse(""));
    fields.put("kept", judged.prospect().isKept());
    fields.put("refusal", judged.prospect().refusal());
    fields.put("normalForm", judged.recorded().normalForm());
    return fields;
  }
}
