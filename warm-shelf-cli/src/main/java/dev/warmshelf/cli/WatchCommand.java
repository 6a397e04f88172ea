package dev.warmshelf.cli;

import java.io.IOException;
import java.io.PrintWriter;
import java.util.concurrent.Callable;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import javax.management.remote.JMXConnector;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

/** {@code shelf watch}: a running program's meters, live. */
@Command(
    name = "watch",
    mixinStandardHelpOptions = true,
    description = {
      "Shows the meters of a running program that uses Warm Shelf.",
      "On a terminal as a table that is renewed, elsewhere as a line for each shelf and interval."
    },
    footer = {
      "",
      "The program needs no preparation if it runs on this machine and as the same user; 'jps' tells "
          + "process ids. From elsewhere, start it with a JMX port and give HOST:PORT.",
      "",
      "Example:",
      "  shelf watch 12345 --interval 2"
    })
final class WatchCommand implements Callable<Integer> {
  private static final String HOME_AND_CLEAR = "\u001b[H\u001b[2J";

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Parameters(
      index = "0",
      paramLabel = "PID|HOST:PORT",
      description = "A process of this machine, or where its JMX is.")
  @SuppressWarnings("NullAway.Init") // required
  private String target;

  @Option(
      names = "--interval",
      paramLabel = "N",
      description = "Seconds between two looks. Default: ${DEFAULT-VALUE}.")
  private int interval = 1;

  @Option(names = "--times", paramLabel = "N", description = "End after so many looks.")
  private long times = Long.MAX_VALUE;

  @Option(names = "--json", description = "Print one JSON object a look.")
  private boolean json;

  private final CountDownLatch stopped = new CountDownLatch(1);

  @Override
  public Integer call() throws Exception {
    Limits.require("--interval", interval, 1, Limits.MOST_SECONDS);
    if (times < 1) {
      throw new Failure("--times must be at least 1, but is " + times + ".");
    }
    try (JMXConnector connector = JavaProgram.connect(target);
        Interrupts ignored = Interrupts.first(stopped::countDown)) {
      watch(new ProgramMeters(connector.getMBeanServerConnection()));
    } catch (IOException e) {
      throw new Failure("The program " + target + " has ended, or does not answer any more.", e);
    }
    return 0;
  }

  private void watch(ProgramMeters meters) throws IOException, Failure, InterruptedException {
    PrintWriter out = spec.commandLine().getOut();
    boolean terminal = Terminal.console() != null && !json;
    ProgramMeters.Look before = meters.look();
    for (long left = times; left > 0 && !stopped.await(interval, TimeUnit.SECONDS); left--) {
      ProgramMeters.Look now = meters.look();
      WatchReport report = new WatchReport(target, before, now);
      if (json) {
        out.println(Json.onOneLine(report.fields()));
      } else if (terminal) {
        out.print(HOME_AND_CLEAR);
        report.table().forEach(out::println);
      } else {
        report.lines().forEach(out::println);
      }
      out.flush();
      if (out.checkError()) {
        return;
      }
      before = now;
    }
  }
}
