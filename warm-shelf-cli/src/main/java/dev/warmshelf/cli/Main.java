package dev.warmshelf.cli;

import dev.warmshelf.WarmShelf;
import dev.warmshelf.base.Amounts;
import dev.warmshelf.cli.command.ClearCommand;
import dev.warmshelf.cli.command.ConfigCommand;
import dev.warmshelf.cli.command.ExampleCommand;
import dev.warmshelf.cli.command.FeedCommand;
import dev.warmshelf.cli.command.HealthCommand;
import dev.warmshelf.cli.command.KeyCommand;
import dev.warmshelf.cli.command.LookCommand;
import dev.warmshelf.cli.command.MeasureCommand;
import dev.warmshelf.cli.command.StatementsCommand;
import dev.warmshelf.cli.command.StoreCommand;
import dev.warmshelf.cli.command.StudyCommand;
import dev.warmshelf.cli.command.SurveyCommand;
import dev.warmshelf.cli.command.WatchCommand;
import dev.warmshelf.cli.demo.DemoCommand;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.PlainText;
import java.io.FileDescriptor;
import java.io.FileOutputStream;
import java.io.OutputStreamWriter;
import java.io.PrintWriter;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import org.jspecify.annotations.Nullable;
import picocli.AutoComplete;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.IVersionProvider;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.ParseResult;
import picocli.CommandLine.ScopeType;
import picocli.CommandLine.Spec;
import picocli.CommandLine.TypeConversionException;

/** The command {@code shelf}. */
@Command(
    name = "shelf",
    versionProvider = Main.Version.class,
    mixinStandardHelpOptions = true,
    description =
        "Keeps the answers of expensive read queries, and shows what that gains and costs.",
    subcommands = {
      DemoCommand.class,
      MeasureCommand.class,
      StudyCommand.class,
      SurveyCommand.class,
      KeyCommand.class,
      FeedCommand.class,
      StoreCommand.class,
      ConfigCommand.class,
      WatchCommand.class,
      StatementsCommand.class,
      LookCommand.class,
      ClearCommand.class,
      HealthCommand.class,
      ExampleCommand.class,
      AutoComplete.GenerateCompletion.class
    },
    footerHeading = "%nNotes:%n",
    footer = {
      "Example: see it work, on a database that it brings along",
      "  shelf demo --small",
      "",
      "Your own database: SHELF_DB_URL (or --db), SHELF_DB_USER and SHELF_DB_PASSWORD in the"
          + " environment say where it is and who you are to it; user and password are else asked"
          + " for.",
      "",
      "Exit codes: 0 done; 1 measured or checked, and something is wrong; 2 could not be done as"
          + " asked, or its output could not be written; 130 ended by Ctrl-C and 143 by a request to"
          + " end, where nothing was left to report."
    })
public final class Main implements Runnable {
  /** What stands for bytes that are no text in the encoding at hand. */
  private static final String UNDECODABLE = "\ufffd";

  /** The library's version is the tool's. */
  static final class Version implements IVersionProvider {
    @Override
    public String[] getVersion() {
      return new String[] {"shelf " + WarmShelf.version()};
    }
  }

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Option(
      names = "--trace",
      scope = ScopeType.INHERIT,
      description = "On an error, print where in the program it came from.")
  private boolean trace;

  /** Runs a command, and ends the virtual machine with its exit code. */
  public static void main(String[] arguments) {
    PrintWriter out = utf8(FileDescriptor.out);
    PrintWriter err = utf8(FileDescriptor.err);
    int exitCode = commandLine().setOut(out).setErr(err).execute(arguments);
    out.flush();
    if (out.checkError() && exitCode != Failure.EXIT_CODE) {
      err.println("shelf: The output could not be written to the end.");
      exitCode = Failure.EXIT_CODE;
    }
    err.flush();
    System.exit(exitCode);
  }

  /** The tool speaks UTF-8, whatever the locale. */
  private static PrintWriter utf8(FileDescriptor to) {
    return new PlainText(new OutputStreamWriter(new FileOutputStream(to), StandardCharsets.UTF_8));
  }

  static CommandLine commandLine() {
    CommandLine line = new CommandLine(new Main());
    line.setCaseInsensitiveEnumValuesAllowed(true);
    line.setExpandAtFiles(false);
    line.setColorScheme(CommandLine.Help.defaultColorScheme(CommandLine.Help.Ansi.OFF));
    register(line);
    line.setExecutionStrategy(Main::execute);
    line.setParameterExceptionHandler(Main::complain);
    line.setExecutionExceptionHandler(Main::fail);
    return line;
  }

  /** Wrong values are named in plain words. */
  private static void register(CommandLine line) {
    CommandLine.ITypeConverter<Integer> whole =
        text -> {
          try {
            return Integer.valueOf(text);
          } catch (NumberFormatException e) {
            throw new TypeConversionException("'" + text + "' is not a whole number in range");
          }
        };
    CommandLine.ITypeConverter<Double> number =
        text -> {
          try {
            return Double.valueOf(text);
          } catch (NumberFormatException e) {
            throw new TypeConversionException("'" + text + "' is not a number");
          }
        };
    line.registerConverter(Integer.class, whole).registerConverter(int.class, whole);
    line.registerConverter(Double.class, number).registerConverter(double.class, number);
    line.registerConverter(
        long.class,
        text -> {
          try {
            return Long.valueOf(text);
          } catch (NumberFormatException e) {
            throw new TypeConversionException("'" + text + "' is not a whole number in range");
          }
        });
    line.registerConverter(
        Duration.class,
        text -> {
          try {
            return Amounts.time(text);
          } catch (IllegalArgumentException e) {
            throw new TypeConversionException(String.valueOf(e.getMessage()));
          }
        });
  }

  private static int execute(ParseResult parsed) {
    for (String argument : parsed.originalArgs()) {
      if (argument.contains(UNDECODABLE)) {
        throw new ParameterException(
            parsed.commandSpec().commandLine(),
            "An argument is not text in this locale's encoding: '"
                + argument
                + "'. Set LC_ALL to a UTF-8 locale, such as C.UTF-8.");
      }
    }
    return new CommandLine.RunLast().execute(parsed);
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
