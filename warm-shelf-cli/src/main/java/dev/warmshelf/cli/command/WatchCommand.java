package dev.warmshelf.cli.command;

import dev.warmshelf.cli.program.PageLooks;
import dev.warmshelf.cli.program.ProgramDesk;
import dev.warmshelf.cli.program.ProgramMeters;
import dev.warmshelf.cli.program.ProgramTarget;
import dev.warmshelf.cli.program.Remarks;
import dev.warmshelf.cli.program.WatchPage;
import dev.warmshelf.cli.program.WatchReport;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.Interrupts;
import dev.warmshelf.cli.screen.Json;
import dev.warmshelf.cli.screen.Limits;
import dev.warmshelf.cli.screen.PlainText;
import dev.warmshelf.cli.screen.Terminal;
import java.io.IOException;
import java.io.PrintWriter;
import java.util.concurrent.Callable;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;

/** {@code shelf watch}: a running program's meters, live. */
@Command(
    name = "watch",
    mixinStandardHelpOptions = true,
    description = {
      "Shows the meters of a running program that uses Warm Shelf.",
      "On a terminal as a table that is renewed, elsewhere as a line for each shelf and interval; or "
          + "in a browser of this machine, with plots that move."
    },
    footerHeading = "%nNotes:%n",
    footer = {
      "The program needs no preparation if it runs on this machine and as the same user; 'jps' tells "
          + "process ids. From elsewhere, start it with a JMX port and give HOST:PORT.",
      "",
      "Example:",
      "  shelf watch 12345 --interval 2",
      "  shelf watch 12345 --page"
    })
public final class WatchCommand implements Callable<Integer> {
  private static final String HOME_AND_CLEAR = "\u001b[H\u001b[2J";
  private static final int MOST_PORT = 65_535;

  /** The queries of the page take a look at each entry. */
  private static final long QUERIES_NANOS = 3_000_000_000L;

  /** They are followed by a pause of at least so many times what they took. */
  private static final long QUERIES_REST = 20;

  private static final int MOST_HELD = 200;

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Mixin private final ProgramTarget program = new ProgramTarget();

  @Option(
      names = "--interval",
      paramLabel = "N",
      description = "Seconds between two looks. Default: ${DEFAULT-VALUE}.")
  private int interval = 1;

  @Option(names = "--times", paramLabel = "N", description = "End after so many looks.")
  private long times = Long.MAX_VALUE;

  @Option(names = "--json", description = "Print one JSON object a look.")
  private boolean json;

  @Option(
      names = "--page",
      description =
          "Serve a page that shows it, to browsers of this machine; its address is printed.")
  private boolean page;

  @Option(
      names = "--port",
      paramLabel = "N",
      description = "Where to serve the page. Default: any port that is free.")
  private int port;

  private final CountDownLatch stopped = new CountDownLatch(1);

  @Override
  public Integer call() throws Exception {
    Limits.require("--interval", interval, 1, Limits.MOST_SECONDS);
    Limits.require("--port", port, 0, MOST_PORT);
    if (times < 1) {
      throw new Failure("--times must be at least 1, but is " + times + ".");
    } else if (page && json) {
      throw new Failure("Give --page or --json, not both.");
    } else if (port != 0 && !page) {
      throw new Failure("--port is where --page is served; give both.");
    }
    try (Interrupts ignored = Interrupts.first(stopped::countDown)) {
      program.ask(
          (meters, desk) -> {
            if (page) {
              serve(meters, desk);
            } else {
              print(meters, desk);
            }
            return 0;
          });
    }
    return 0;
  }

  private boolean isOver() {
    try {
      return stopped.await(interval, TimeUnit.SECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return true;
    }
  }

  private void serve(ProgramMeters meters, ProgramDesk desk) throws IOException, Failure {
    PrintWriter out = spec.commandLine().getOut();
    PageLooks looks = new PageLooks(program.name());
    long nextQueries = System.nanoTime();
    try (WatchPage served = new WatchPage(looks, port)) {
      out.println("Open " + served.address() + " in a browser of this machine; Ctrl-C ends it.");
      out.flush();
      for (long left = times; left > 0; left--) {
        long began = System.nanoTime();
        if (began - nextQueries >= 0) {
          looks.queries(desk.statements(), desk.held(MOST_HELD));
          long took = System.nanoTime() - began;
          nextQueries = began + Math.max(QUERIES_NANOS, took * QUERIES_REST);
        }
        looks.add(System.currentTimeMillis(), meters.look(), desk.health(), desk.remarks());
        if (left > 1 && isOver()) {
          return;
        }
      }
      isOver(); // a browser has time for the last look
    }
  }

  private void print(ProgramMeters meters, ProgramDesk desk) throws IOException, Failure {
    PrintWriter out = spec.commandLine().getOut();
    boolean terminal = Terminal.console() != null && !json;
    ProgramMeters.Look before = meters.look();
    for (long left = times; left > 0 && !isOver(); left--) {
      ProgramMeters.Look now = meters.look();
      WatchReport report =
          new WatchReport(
              program.name(), before, now, json || terminal ? desk.remarks() : Remarks.NONE);
      if (json) {
        out.println(Json.onOneLine(report.fields()));
      } else if (terminal) {
        PlainText.control(out, HOME_AND_CLEAR);
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
