package dev.warmshelf.cli;

import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.Rule;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.config.Configuration;
import dev.warmshelf.config.ConfigurationException;
import dev.warmshelf.feed.FeedException;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.lane.Lane;
import java.io.PrintWriter;
import java.nio.file.Path;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
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
    footer = {
      "",
      "docs/configuration.md describes the file.",
      "",
      "Example:",
      "  shelf config check warm-shelf.yaml",
      "  shelf config check warm-shelf.yaml --db jdbc:postgresql://localhost/ferries"
    })
final class ConfigCommand implements Runnable {
  /** The feed's, and one for reads. */
  private static final int CONNECTIONS = 3;

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
            + "reached, whether the journal is there and tells of the tables that rules name."
      },
      footer = {
        "",
        DatabaseOptions.HELP,
        "",
        "Exit codes: 0 all is well; 1 something is wrong with the file, or with the database; 2 it "
            + "could not be checked.",
        "",
        "Example:",
        "  shelf config check warm-shelf.yaml"
      })
  int check(
      @Parameters(paramLabel = "FILE", description = "The configuration.") Path file,
      @Option(names = "--json", description = "Print one JSON object.") boolean json,
      @Mixin DatabaseOptions database)
      throws Failure {
    InputFile.read(file);
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
        problems.addAll(against(read, database));
        said.add("database     " + (problems.isEmpty() ? "as it must be" : "see below"));
      }
    } catch (ConfigurationException e) {
      problems.addAll(e.mistakes());
    }
    fields.put("problems", problems);
    PrintWriter out = spec.commandLine().getOut();
    if (json) {
      out.println(Json.indented(fields));
    } else {
      said.forEach(out::println);
      if (!problems.isEmpty()) {
        out.println(file + ":");
        problems.forEach(problem -> out.println("  " + problem));
      }
    }
    out.flush();
    return problems.isEmpty() ? 0 : 1;
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
    if (read.rules().isEmpty()) {
      lines.add(label + "none: nothing is kept of what the program asks by JDBC");
    }
    return lines;
  }

  /** What is wrong with a database, for this configuration. */
  private static List<String> against(Configuration read, DatabaseOptions database) throws Failure {
    try (HikariDataSource pool = database.pool(CONNECTIONS)) {
      List<String> problems = new ArrayList<>();
      try (WarmShelf warm = read.over(pool).open()) {
        warm.dataSource();
      } catch (FeedException | SQLException e) {
        problems.add(Failure.inOneLine(e));
        return problems;
      }
      Set<String> followed =
          Journal.on(pool).covered().stream()
              .map(Lane::tableNames)
              .flatMap(Set::stream)
              .collect(Collectors.toSet());
      for (Rule rule : read.rules()) {
        for (String table : rule.tables()) {
          if (!followed.contains(table)) {
            problems.add(
                "the journal does not follow the table '"
                    + table
                    + "', which a rule names, so nothing that reads it is kept; follow it with"
                    + " 'shelf feed install "
                    + table
                    + "'.");
          }
        }
      }
      return problems;
    } catch (SQLException e) {
      throw Failure.of(e);
    }
  }
}
