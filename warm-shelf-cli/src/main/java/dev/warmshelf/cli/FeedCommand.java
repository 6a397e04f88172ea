package dev.warmshelf.cli;

import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.SerializationFeature;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.cli.text.Text;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalStatus;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.sql.Analysed;
import dev.warmshelf.sql.SqlStatement;
import java.io.IOException;
import java.io.PrintWriter;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
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
    footer = {
      "",
      "A table is named as SQL names it, with the columns by which its changes are told apart:",
      "  booking:sailing_id,agent_id",
      "Many of them fit into a file, one a line, which is given as @FILE.",
      "",
      "Example: on the database that 'shelf demo --keep' prints",
      "  shelf feed propose --db URL queries.sql",
      "  shelf feed install --db URL port sailing:day booking:sailing_id,agent_id",
      "  shelf feed check --db URL"
    })
final class FeedCommand implements Runnable {
  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  /** Which database. */
  static final class Database {
    @Option(
        names = "--db",
        required = true,
        paramLabel = "URL",
        description = "A JDBC URL; user and password as for 'shelf measure'.")
    @SuppressWarnings("NullAway.Init") // required
    String url;

    HikariDataSource pool() throws Failure {
      return DatabaseOptions.pool(url, 2, System.getenv());
    }

    StatementDatabase asked() throws Failure {
      return StatementDatabase.at(url, System.getenv());
    }
  }

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
      })
  int install(
      @Mixin Database database,
      @Option(names = "--print", description = "Print the SQL, and change nothing.") boolean print,
      @Option(
              names = "--keep",
              paramLabel = "DURATION",
              description = "How long changes are kept for readers that are away, as in PT2H.")
          @Nullable Duration keep,
      @Option(
              names = "--notify",
              description =
                  "Wake readers by NOTIFY. Transactions that notify commit one after the other, and"
                      + " cannot be prepared for a two-phase commit.")
          boolean notify,
      @Parameters(
              arity = "1..*",
              paramLabel = "TABLE[:COLUMN,...]",
              description = "What to follow.")
          List<String> tables)
      throws Failure, SQLException {
    try (HikariDataSource pool = database.pool()) {
      Journal journal = Journal.on(pool);
      journal = keep == null ? journal : journal.keeping(keep);
      journal = notify ? journal.wakingReaders() : journal;
      if (print) {
        out().print(journal.script(tables));
        out().flush();
        return 0;
      }
      journal.install(tables);
      return report(journal.check(), false);
    } catch (IllegalArgumentException e) {
      throw new Failure(String.valueOf(e.getMessage()), e);
    }
  }

  @Command(
      name = "upgrade",
      mixinStandardHelpOptions = true,
      description = "Installs anew what is followed already; mends damage.")
  int upgrade(@Mixin Database database) throws Failure, SQLException {
    try (HikariDataSource pool = database.pool()) {
      Journal.on(pool).upgrade();
      return report(Journal.on(pool).check(), false);
    }
  }

  @Command(
      name = "check",
      mixinStandardHelpOptions = true,
      description = "Says what is followed and what is wrong (exit code 1).")
  int check(
      @Mixin Database database,
      @Option(names = "--json", description = "Print one JSON object.") boolean json)
      throws Failure, SQLException {
    try (HikariDataSource pool = database.pool()) {
      return report(Journal.on(pool).check(), json);
    }
  }

  @Command(
      name = "remove",
      mixinStandardHelpOptions = true,
      description = "Takes away the triggers and the schema warm_shelf.")
  int remove(
      @Mixin Database database,
      @Option(names = "--print", description = "Print the SQL, and change nothing.") boolean print)
      throws Failure, SQLException {
    try (HikariDataSource pool = database.pool()) {
      Journal journal = Journal.on(pool);
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
        "Says by which columns tables should be told apart, given the queries.",
        "What it prints is what 'shelf feed install' takes, as @FILE or one by one."
      })
  int propose(
      @Mixin Database database,
      @Parameters(
              paramLabel = "FILE",
              description = "Statements, each ended by a semicolon or on a line of its own.")
          Path file)
      throws Failure {
    try (StatementDatabase asked = database.asked()) {
      List<Analysed> analysed = new ArrayList<>();
      for (String statement : SqlStatement.split(Files.readString(file))) {
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
      throw new Failure(Failure.inOneLine(e), e);
    } catch (NoSuchFileException e) {
      throw new Failure("There is no file " + file + ".", e);
    } catch (IOException e) {
      throw new Failure("The file " + file + " cannot be read: " + e.getMessage(), e);
    }
  }

  private PrintWriter out() {
    return spec.commandLine().getOut();
  }

  private int report(JournalStatus checkup, boolean json) {
    PrintWriter out = out();
    if (json) {
      try {
        out.println(
            new ObjectMapper()
                .enable(SerializationFeature.INDENT_OUTPUT)
                .writeValueAsString(fields(checkup)));
      } catch (com.fasterxml.jackson.core.JsonProcessingException e) {
        throw new IllegalStateException(e);
      }
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
    checkup.tables().forEach((lane, columns) -> tables.put(lane.name(), columns));
    fields.put("tables", tables);
    fields.put("watchesSchema", checkup.watchesSchema());
    fields.put("rows", checkup.size().rows());
    fields.put("bytes", checkup.size().bytes());
    fields.put("retentionSeconds", checkup.retention().toSeconds());
    fields.put("isRead", checkup.isRead());
    fields.put("problems", checkup.problems());
    return fields;
  }

  private static List<String> lines(JournalStatus checkup) {
    List<String> lines = new ArrayList<>();
    if (checkup.installed()) {
      int width =
          checkup.tables().keySet().stream().mapToInt(t -> t.name().length()).max().orElse(0);
      checkup
          .tables()
          .forEach(
              (lane, columns) ->
                  lines.add(
                      lane
                          + " ".repeat(width - lane.name().length() + 3)
                          + (columns.isEmpty()
                              ? "as a whole"
                              : "told apart by " + String.join(", ", columns))));
      lines.add("");
      lines.add(
          "journal: %s rows, %s MiB; rows are kept for %s after their transaction"
              .formatted(
                  Text.count(checkup.size().rows()),
                  Text.count(checkup.size().bytes() >> 20),
                  checkup.retention().toString().substring(2).toLowerCase(java.util.Locale.ROOT)));
      lines.add(
          checkup.isRead()
              ? "readers: there is one, or was within that time"
              : "readers: none, so nothing is noted until somebody follows");
      lines.add(
          checkup.watchesSchema()
              ? "schema:  its changes are noted, too"
              : "schema:  not watched, which takes a superuser; call schemaChanged() after DDL");
    }
    checkup.problems().forEach(problem -> lines.add("WRONG:   " + problem));
    if (checkup.installed()) {
      lines.add(
          checkup.problems().isEmpty()
              ? "All is well."
              : "'shelf feed upgrade' mends what can be mended; until then the database answers"
                  + " reads of those tables.");
    }
    return lines;
  }
}
