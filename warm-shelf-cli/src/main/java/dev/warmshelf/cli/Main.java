package dev.warmshelf.cli;

import java.io.PrintWriter;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.ParseResult;
import picocli.CommandLine.ScopeType;
import picocli.CommandLine.Spec;

/** The command {@code shelf}. */
@Command(
    name = "shelf",
    version = "shelf 0.1.0",
    mixinStandardHelpOptions = true,
    description =
        "Keeps the answers of expensive read queries, and shows what that gains and costs.",
    subcommands = {
      DemoCommand.class,
      MeasureCommand.class,
      KeyCommand.class,
      FeedCommand.class,
      WatchCommand.class
    },
    footer = {
      "",
      "Example: see it work, on a database that it brings along",
      "  shelf demo --small",
      "",
      "Exit codes: 0 done; 1 measured, and something is wrong; 2 could not be done as asked."
    })
public final class Main implements Runnable {
  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Option(
      names = "--trace",
      scope = ScopeType.INHERIT,
      description = "On an error, print where in the program it came from.")
  private boolean trace;

  public static void main(String[] arguments) {
    System.exit(commandLine().execute(arguments));
  }

  static CommandLine commandLine() {
    CommandLine line = new CommandLine(new Main());
    line.setCaseInsensitiveEnumValuesAllowed(true);
    line.setParameterExceptionHandler(Main::complain);
    line.setExecutionExceptionHandler(Main::fail);
    return line;
  }

  @Override
  public void run() {
    spec.commandLine().usage(spec.commandLine().getOut());
  }

  private static int complain(ParameterException e, String[] arguments) {
    CommandLine line = e.getCommandLine();
    tell(
        line,
        sentence(e.getMessage()) + " See '" + line.getCommandSpec().qualifiedName() + " --help'.");
    return Failure.EXIT_CODE;
  }

  private static int fail(Exception e, CommandLine line, ParseResult parsed) {
    tell(line, Failure.inOneLine(e));
    Main main = (Main) line.getCommandSpec().root().userObject();
    if (main.trace) {
      e.printStackTrace(line.getErr());
    }
    return Failure.EXIT_CODE;
  }

  private static String sentence(@Nullable String message) {
    String text = String.valueOf(message).strip();
    return text.endsWith(".") ? text : text + ".";
  }

  private static void tell(CommandLine line, String message) {
    PrintWriter err = line.getErr();
    err.println("shelf: " + message);
    err.flush();
  }
}
