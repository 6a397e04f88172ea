package dev.warmshelf.cli.command;

import dev.warmshelf.cli.program.ProgramTarget;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.postgres.Postgres;
import dev.warmshelf.postgres.driver.SqlState;
import dev.warmshelf.spi.feed.Clearing;
import java.io.PrintWriter;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.Arrays;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

/** {@code shelf clear}: has kept answers go. */
@Command(
    name = "clear",
    mixinStandardHelpOptions = true,
    description = {
      "Clears kept answers, and what is being loaded with them: everything, or of one shelf, table, "
          + "tag, query or key. A query and a key are named by digests, as 'shelf look' shows them.",
      "In one program, which logs it; with --everywhere, that program tells all that follow its "
          + "journal; with --db and no program, the journal is told directly."
    },
    footerHeading = "%nNotes:%n",
    footer = {
      "To tell the journal needs: GRANT EXECUTE ON FUNCTION warm_shelf.clear(text, text), and USAGE "
          + "on the schema warm_shelf.",
      DatabaseOptions.HELP,
      "",
      "Examples:",
      "  shelf clear 12345 table port",
      "  shelf clear 12345 all --everywhere",
      "  shelf clear --db jdbc:postgresql://localhost/ferries query 2e53f462eff58e26"
    })
public final class ClearCommand implements Callable<Integer> {
  private static final List<String> WORDS =
      Arrays.stream(Clearing.What.values()).map(Clearing.What::word).toList();

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Parameters(
      arity = "1..3",
      paramLabel = "[PID|HOST:PORT] WHAT [NAME]",
      description =
          "A program, unless --db is given; all, shelf, table, tag, query or key; and its name.")
  private String[] words = {};

  @Option(names = "--everywhere", description = "Also in all others that follow the journal.")
  private boolean everywhere;

  @Mixin private final DatabaseOptions database = new DatabaseOptions();

  @Override
  public Integer call() throws Failure {
    PrintWriter out = spec.commandLine().getOut();
    boolean journal = WORDS.contains(words[0]);
    int from = journal ? 0 : 1;
    if (journal && !database.isGiven()) {
      throw new Failure("Where? Give a program before '" + words[0] + "', or --db URL.");
    } else if (!journal && database.isArgument()) {
      throw new Failure("Give a program or --db, not both.");
    } else if (words.length <= from) {
      throw new Failure("Say what is to be cleared: all, shelf, table, tag, query or key.");
    } else if (words.length > from + 2) {
      throw new Failure(
          "Too many words; expected " + (journal ? "" : "a program, ") + "WHAT NAME.");
    }
    String name = words.length > from + 1 ? words[from + 1] : "";
    Clearing what;
    try {
      what = Clearing.of(words[from], name, "shelf clear");
    } catch (IllegalArgumentException e) {
      throw new Failure(String.valueOf(e.getMessage()), e);
    }
    out.println(journal ? byJournal(what) : inProgram(words[0], what));
    out.flush();
    return 0;
  }

  private String inProgram(String program, Clearing what) throws Failure {
    ProgramTarget target = ProgramTarget.of(program);
    String word = what.what().word();
    if (everywhere) {
      target.ask(
          desk -> {
            desk.clearEverywhere(word, what.name());
            return true;
          });
      return "All that follow the journal were told to clear " + what + ".";
    }
    long gone = target.ask(desk -> desk.clear(word, what.name()));
    return "Cleared " + what + ": about " + Text.count(gone) + " answers are gone.";
  }

  private String byJournal(Clearing what) throws Failure {
    try (Connection connection = database.connection()) {
      new Postgres().clearEverywhere(connection, what);
    } catch (SQLException e) {
      throw whyNot(e);
    }
    return "All that follow the journal were told to clear " + what + ".";
  }

  private static Failure whyNot(SQLException e) {
    return switch (SqlState.of(e)) {
      case UNDEFINED_FUNCTION, INVALID_SCHEMA_NAME ->
          new Failure(
              "The journal is not installed in this database, or is of an older version; 'shelf"
                  + " feed install' or 'shelf feed upgrade' mends that.",
              e);
      case INSUFFICIENT_PRIVILEGE ->
          new Failure(
              "This role may not clear; its owner grants it by GRANT USAGE ON SCHEMA warm_shelf and"
                  + " GRANT EXECUTE ON FUNCTION warm_shelf.clear(text, text).",
              e);
      default -> Failure.of(e);
    };
  }
}
