package dev.warmshelf.cli.command;

import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.InputFile;
import dev.warmshelf.cli.screen.Json;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalStatus;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.statement.Analysed;
import dev.warmshelf.statement.SqlStatement;
import java.io.PrintWriter;
import java.nio.file.Path;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

/** {@code shelf feed}: the journal that tells of changes. */
@Command(
    name = "feed",
    mixinStandardHelpOptions = true,
    description = "Installs, checks, follows and removes the journal that tells of changes.",
    subcommands = FeedFollowCommand.class,
    footerHeading = "%nNotes:%n",
    footer = {
      "A table is named as SQL names it, with its tracked columns:",
      "  booking:sailing_id,agent_id",
      "Many of them fit into a file, one a line, which is given as @FILE.",
      "",
      DatabaseOptions.HELP,
      "",
      "Example: on the database that 'shelf demo --keep' prints",
      "  shelf feed propose --db URL queries.sql",
      "  shelf feed install --db URL port sailing:day booking:sailing_id,agent_id",
      "  shelf feed check --db URL"
    })
public final class FeedCommand implements Runnable {
  private static final int CONNECTIONS = 2;
  private static final String WHAT_TO_DO =
      "'shelf feed upgrade' mends damaged triggers; until then the database answers reads of those"
          + " tables.";
  private static final String READER =
      "A role that is to follow the journal; repeat it for each. The rights that it needs are ";

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Override
  public void run() {
    spec.commandLine().usage(spec.commandLine().getOut());
  }

  @Command(
      name = "install",
      mixinStandardHelpOptions = true,
      description = {
        "Follows tables, beside those followed already.",
        "Repeatable. Each table gets four triggers, which note its changes in the schema warm_shelf."
      },
      footerHeading = "%nNotes:%n",
      footer = {"", DatabaseOptions.HELP})
  int install(
      @Mixin DatabaseOptions database,
      @Option(names = "--print", description = "Print the SQL, and change nothing.") boolean print,
      @Option(
              names = "--keep",
              paramLabel = "DURATION",
              description = "How long changes are kept for readers that are away, as in 2h.")
          @Nullable Duration keep,
      @Option(
              names = "--notify",
              description =
                  "Wake readers by NOTIFY. Transactions that notify commit one after the other, and"
                      + " cannot be prepared for a two-phase commit.")
          boolean notify,
      @Option(
              names = "--digests",
              description =
                  "Write digests in the place of tracked values, for good: followers cannot read"
                      + " them then, and answers are not mended by parts.")
          boolean digests,
      @Option(names = "--reader", paramLabel = "ROLE", description = READER + "granted.")
          List<String> readers,
      @Parameters(
              arity = "1..*",
              paramLabel = "TABLE[:COLUMN,...]",
              description = "What to follow.")
          List<String> tables)
      throws Failure, SQLException {
    try (HikariDataSource pool = database.pool(CONNECTIONS)) {
      Journal journal = Journal.on(pool).telling(err()::println);
      journal = keep == null ? journal : journal.keeping(keep);
      journal = notify ? journal.wakingReaders() : journal;
      journal = digests ? journal.withDigests() : journal;
      journal = readers == null ? journal : journal.readBy(readers);
      List<String> named = expanded(tables);
      if (print) {
        out().print(journal.script(named));
        out().flush();
        return 0;
      }
      journal.install(named);
      return reportAfter("installed", journal);
    } catch (IllegalArgumentException e) {
      throw new Failure(String.valueOf(e.getMessage()), e);
    }
  }

  @Command(
      name = "upgrade",
      mixinStandardHelpOptions = true,
      description = "Installs anew what is followed already; mends damage.",
      footerHeading = "%nNotes:%n",
      footer = {"", DatabaseOptions.HELP})
  int upgrade(@Mixin DatabaseOptions database) throws Failure, SQLException {
    try (HikariDataSource pool = database.pool(CONNECTIONS)) {
      Journal journal = Journal.on(pool).telling(err()::println);
      journal.upgrade();
      return reportAfter("upgraded", journal);
    }
  }

  @Command(
      name = "check",
      mixinStandardHelpOptions = true,
      description = "Says what is followed and what is wrong (exit code 1).",
      footerHeading = "%nNotes:%n",
      footer = {"", DatabaseOptions.HELP})
  int check(
      @Mixin DatabaseOptions database,
      @Option(names = "--reader", paramLabel = "ROLE", description = READER + "checked.")
          List<String> readers,
      @Option(names = "--json", description = "Print one JSON object.") boolean json)
      throws Failure, SQLException {
    try (HikariDataSource pool = database.pool(CONNECTIONS)) {
      return report(Journal.on(pool).readBy(readers == null ? List.of() : readers).check(), json);
    }
  }

  @Command(
      name = "remove",
      mixinStandardHelpOptions = true,
      description = "Takes away the triggers and the schema warm_shelf.",
      footerHeading = "%nNotes:%n",
      footer = {"", DatabaseOptions.HELP})
  int remove(
      @Mixin DatabaseOptions database,
      @Option(names = "--print", description = "Print the SQL, and change nothing.") boolean print)
      throws Failure, SQLException {
    try (HikariDataSource pool = database.pool(CONNECTIONS)) {
      Journal journal = Journal.on(pool).telling(err()::println);
      if (print) {
        out().println(journal.removal());
      } else {
        journal.remove();
        out().println("The journal is removed. Shelves that followed it ask the database now.");
      }
      out().flush();
      return 0;
    }
  }

  @Command(
      name = "propose",
      mixinStandardHelpOptions = true,
      description = {
        "Says which columns of which tables should be tracked, given the queries.",
        "What it prints is what 'shelf feed install' takes, as @FILE or one by one."
      },
      footerHeading = "%nNotes:%n",
      footer = {"", DatabaseOptions.HELP})
  int propose(
      @Mixin DatabaseOptions database,
      @Parameters(
              paramLabel = "FILE",
              description = "Statements, each ended by a semicolon or on a line of its own.")
          Path file)
      throws Failure {
    try (StatementDatabase asked = StatementDatabase.at(database)) {
      List<Analysed> analysed = new ArrayList<>();
      for (String statement : SqlStatement.split(InputFile.read(file))) {
        analysed.add(asked.analyse(SqlStatement.of(statement)));
      }
      Map<Lane, List<String>> proposal = Analysed.proposal(analysed);
      if (proposal.isEmpty()) {
        throw new Failure("None of the statements in " + file + " may be kept; see 'shelf key'.");
      }
      proposal.forEach(
          (lane, columns) ->
              out()
                  .println(
                      columns.isEmpty() ? lane.name() : lane + ":" + String.join(",", columns)));
      out().flush();
      return 0;
    } catch (SQLException e) {
      throw Failure.of(e);
    }
  }

  /** An argument that begins with an at sign names a file with tables, one a line. */
  private static List<String> expanded(List<String> tables) throws Failure {
    List<String> all = new ArrayList<>();
    for (String table : tables) {
      if (table.startsWith("@")) {
        InputFile.read(Path.of(table.substring(1)))
            .lines()
            .map(String::strip)
            .filter(line -> !line.isEmpty())
            .forEach(all::add);
      } else {
        all.add(table);
      }
    }
    if (all.isEmpty()) {
      throw new Failure("No table is named: the file holds none.");
    }
    return all;
  }

  private PrintWriter err() {
    return spec.commandLine().getErr();
  }

  private PrintWriter out() {
    return spec.commandLine().getOut();
  }

  /** What was done stays done, whether or not it can be looked at. */
  private int reportAfter(String done, Journal journal) throws Failure {
    try {
      return report(journal.check(), false);
    } catch (SQLException e) {
      throw new Failure(
          "The journal is "
              + done
              + ", but then it could not be looked at; see 'shelf feed check'. "
              + Failure.inOneLine(e),
          e);
    }
  }

  private int report(JournalStatus checkup, boolean json) {
    PrintWriter out = out();
    if (json) {
      out.println(Json.indented(fields(checkup)));
    } else {
      lines(checkup).forEach(out::println);
    }
    out.flush();
    return checkup.problems().isEmpty() ? 0 : 1;
  }

  private static Map<String, Object> fields(JournalStatus checkup) {
    Map<String, Object> fields = new LinkedHashMap<>();
    fields.put("installed", checkup.installed());
    Map<String, Object> tables = new LinkedHashMap<>();
    checkup.tables().forEach((lane, columns) -> tables.put(lane.name(), columns.keySet()));
    fields.put("tables", tables);
    fields.put(
        "digests",
        checkup.tables().entrySet().stream()
            .filter(table -> !table.getValue().isEmpty() && JournalStatus.hides(table.getValue()))
            .map(table -> table.getKey().name())
            .toList());
    fields.put("watchesSchema", checkup.watchesSchema());
    fields.put("owner", checkup.owner());
    fields.put("rows", checkup.size().rows());
    fields.put("bytes", checkup.size().bytes());
    fields.put("retentionSeconds", checkup.retention().toSeconds());
    fields.put("isRead", checkup.isRead());
    fields.put("problems", checkup.problems());
    return fields;
  }

  private static List<String> lines(JournalStatus status) {
    List<String> lines = new ArrayList<>();
    if (status.installed()) {
      lines.addAll(tableLines(status));
      lines.add("");
      lines.add(
          "journal: %s rows, %s MiB; rows are kept for %s after their transaction"
              .formatted(
                  Text.count(status.size().rows()),
                  Text.count(status.size().bytes() >> 20),
                  status.retention().toString().substring(2).toLowerCase(Locale.ROOT)));
      lines.add(
          status.isRead()
              ? "readers: there is one, or was within that time"
              : "readers: none, so nothing is noted until somebody follows");
      lines.add(
          status.watchesSchema()
              ? "schema:  its changes are noted, too"
              : "schema:  looked at twice a second; to have changes noted as they happen takes a superuser");
    }
    if (!status.owner().isEmpty()) {
      lines.add(
          status.isOwnedByItself()
              ? "owner:   " + status.owner() + ", a role that nobody can be"
              : "owner:   "
                  + status.owner()
                  + "; whoever can be this role can change what is noted, and triggers run with its"
                  + " rights. A superuser's 'shelf feed upgrade' gives it a role of its own");
    }
    status.problems().forEach(problem -> lines.add("WRONG:   " + problem));
    if (status.installed()) {
      lines.add(status.problems().isEmpty() ? "All is well." : WHAT_TO_DO);
    }
    return lines;
  }

  private static List<String> tableLines(JournalStatus status) {
    int width = status.tables().keySet().stream().mapToInt(t -> t.name().length()).max().orElse(0);
    List<String> lines = new ArrayList<>();
    status
        .tables()
        .forEach(
            (lane, columns) ->
                lines.add(
                    lane
                        + " ".repeat(width - lane.name().length() + 3)
                        + (columns.isEmpty()
                            ? "as a whole"
                            : "tracked columns "
                                + String.join(", ", columns.keySet())
                                + (JournalStatus.hides(columns) ? " (digests)" : ""))));
    return lines;
  }
}
