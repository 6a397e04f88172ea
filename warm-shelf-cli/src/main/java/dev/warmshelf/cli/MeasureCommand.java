package dev.warmshelf.cli;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.SerializationFeature;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.cli.measure.Comparison;
import dev.warmshelf.cli.measure.Result;
import java.io.PrintWriter;
import java.sql.SQLException;
import java.time.Duration;
import java.util.concurrent.Callable;
import javax.sql.DataSource;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;

/** {@code shelf measure}: the comparison, on a database that is already there. */
@Command(
    name = "measure",
    mixinStandardHelpOptions = true,
    description =
        "Compares direct reads with kept ones on the demo's tables, while others write. It writes"
            + " made-up bookings there; --writes 0 only reads.",
    footer = {
      "",
      "User and password come from SHELF_DB_USER and SHELF_DB_PASSWORD, or are asked for.",
      "",
      "Example: first 'shelf demo --keep' in another terminal, then with the URL it prints",
      "  SHELF_DB_USER=postgres SHELF_DB_PASSWORD= \\",
      "    shelf measure --db jdbc:postgresql://localhost:5432/skerry --seconds 20",
      "",
      "Ctrl-C ends the run early and reports what has been measured by then."
    })
final class MeasureCommand implements Callable<Integer> {
  static final int CONNECTIONS_BESIDE_READERS = 8;

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Option(names = "--db", required = true, paramLabel = "URL", description = "A JDBC URL.")
  @SuppressWarnings("NullAway.Init") // required
  private String url;

  @Option(
      names = "--seconds",
      paramLabel = "N",
      description = "How long in all. Default: ${DEFAULT-VALUE}.")
  private int seconds = 20;

  @Option(
      names = "--readers",
      paramLabel = "N",
      description = "Threads that read. Default: ${DEFAULT-VALUE}.")
  private int readers = 4;

  @Option(
      names = "--writes",
      paramLabel = "N",
      description = "Commits a second meanwhile. Default: ${DEFAULT-VALUE}.")
  private double writes = 1;

  @Option(
      names = "--ttl",
      paramLabel = "N",
      description =
          "Seconds that the way without a feed keeps its answers. Default: ${DEFAULT-VALUE}.")
  private int ttl = 5;

  @Option(
      names = "--seed",
      paramLabel = "N",
      description = "Of the requests and writes. Default: ${DEFAULT-VALUE}.")
  private long seed = 1;

  @Option(names = "--json", description = "Print JSON instead of a table.")
  private boolean json;

  @Override
  public Integer call() throws Exception {
    requireAtLeast("--seconds", seconds, 1);
    requireAtLeast("--readers", readers, 1);
    requireAtLeast("--writes", writes, 0);
    requireAtLeast("--ttl", ttl, 1);
    Screen progress = new Screen(spec.commandLine().getErr());
    try (HikariDataSource pool =
        DatabaseOptions.pool(url, readers + CONNECTIONS_BESIDE_READERS, System.getenv())) {
      Comparison comparison =
          comparison(
              pool,
              new Comparison.Settings(seconds, readers, writes, Duration.ofSeconds(ttl), seed),
              progress);
      try (Interrupts ignored = Interrupts.first(comparison::stop)) {
        Result result = comparison.run();
        progress.clear();
        report(result);
        result.faults().forEach(fault -> progress.line("shelf: " + fault + "."));
        return result.faults().isEmpty() ? 0 : 1;
      }
    }
  }

  private void report(Result result) throws JsonProcessingException {
    PrintWriter out = spec.commandLine().getOut();
    ComparisonReport report = new ComparisonReport(result);
    if (json) {
      out.println(
          new ObjectMapper()
              .enable(SerializationFeature.INDENT_OUTPUT)
              .writeValueAsString(report.fields()));
    } else {
      report.lines("").forEach(out::println);
      out.println();
      report.queryLines("").forEach(out::println);
      out.println();
      report.conditions("").forEach(out::println);
    }
    out.flush();
  }

  /** A comparison that tells a screen how far it is. */
  static Comparison comparison(DataSource pool, Comparison.Settings settings, Screen progress)
      throws SQLException {
    return Comparison.on(
        pool,
        settings,
        (way, done, all) -> progress.status("round " + (done + 1) + " of " + all + ": " + way));
  }

  static void requireAtLeast(String option, double value, double least) throws Failure {
    if (!(value >= least)) {
      throw new Failure(option + " must be at least " + (long) least + ", but is " + value + ".");
    }
  }
}
