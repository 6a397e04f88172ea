package dev.warmshelf.cli.command;

import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.WriterOutput;
import dev.warmshelf.examples.Examples;
import dev.warmshelf.examples.Examples.Example;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import java.io.IOException;
import java.io.PrintStream;
import java.io.PrintWriter;
import java.nio.charset.StandardCharsets;
import java.util.concurrent.Callable;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

/** {@code shelf example}: small programs to copy from, run as they stand. */
@Command(
    name = "example",
    mixinStandardHelpOptions = true,
    description = "Lists the example programs, or runs one of them.",
    footerHeading = "%nNotes:%n",
    footer = {
      "It runs on a small database that the tool brings along and stops again; with --db on yours, "
          + "which must hold the demo's tables, as that of 'shelf demo --keep' does.",
      DatabaseOptions.HELP,
      "",
      "Example:",
      "  shelf example read-aside"
    })
public final class ExampleCommand implements Callable<Integer> {
  private static final String SOURCES = "warm-shelf-examples/src/main/java/";

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Parameters(index = "0", arity = "0..1", paramLabel = "NAME", description = "Which to run.")
  private @Nullable String name;

  @Mixin private final DatabaseOptions database = new DatabaseOptions();

  @Override
  public Integer call() throws Exception {
    if (name == null) {
      list();
      return 0;
    }
    Example example =
        Examples.all().stream()
            .filter(each -> each.name().equals(name))
            .findFirst()
            .orElseThrow(
                () ->
                    new Failure("There is no example '" + name + "'; 'shelf example' lists them."));
    PrintWriter out = spec.commandLine().getOut();
    out.println(example.name() + ": " + example.what());
    out.println("source: " + sourceOf(example));
    out.println();
    out.flush();
    run(example, out);
    return 0;
  }

  private void list() {
    PrintWriter out = spec.commandLine().getOut();
    for (Example each : Examples.all()) {
      out.printf("%-20s %s%n", each.name(), each.what());
      out.printf("%-20s %s%n", "", sourceOf(each));
    }
    out.println();
    out.println("Run one with 'shelf example NAME'.");
  }

  private static String sourceOf(Example example) {
    return SOURCES + example.type().getName().replace('.', '/') + ".java";
  }

  private void run(Example example, PrintWriter out) throws Exception {
    PrintStream before = System.out;
    System.setOut(
        new PrintStream(new WriterOutput(out), true, StandardCharsets.UTF_8)); // it prints there
    try {
      if (database.isGiven()) {
        example.main().run(new String[] {database.urlWithUser()});
      } else {
        runOnOwn(example);
      }
    } finally {
      System.out.flush();
      System.setOut(before);
    }
  }

  private static void runOnOwn(Example example) throws Exception {
    try (LocalPostgres server = start()) {
      SkerryLine.loadTiny(server.dataSource("postgres"));
      example.main().run(new String[] {server.url("postgres") + "?user=postgres"});
    }
  }

  private static LocalPostgres start() throws Failure {
    try {
      return LocalPostgres.start();
    } catch (IOException e) {
      throw Failure.of("The PostgreSQL that the tool brings along does not start", e);
    }
  }
}
