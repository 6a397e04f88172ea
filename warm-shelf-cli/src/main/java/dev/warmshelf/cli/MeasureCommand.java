package dev.warmshelf.cli;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.SerializationFeature;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.cli.measure.Comparison;
import dev.warmshelf.cli.measure.RecordedRequests;
import dev.warmshelf.cli.measure.Result;
import dev.warmshelf.cli.measure.WayKind;
import dev.warmshelf.cli.measure.Workload;
import dev.warmshelf.cli.measure.WorkloadException;
import dev.warmshelf.cli.measure.WorkloadFile;
import dev.warmshelf.cli.report.ComparisonFields;
import dev.warmshelf.cli.report.ComparisonReport;
import dev.warmshelf.scenario.SkerryLine;
import java.io.IOException;
import java.io.PrintWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.SQLException;
import java.time.Duration;
import java.util.EnumSet;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.Callable;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;

/** {@code shelf measure}: the comparison, on a database that is already there. */
@Command(
    name = "measure",
    mixinStandardHelpOptions = true,
    sortOptions = false,
    description =
        "Compares direct reads with kept ones, while others write: hit ratio, latency, the"
            + " database's work, exact staleness. It asks and writes what a workload file says;"
            + " without one the demo's, on the demo's tables.",
    footer = {
      "",
      "It writes to the database what the workload's changes say; --writes 0 only reads.",
      "User and password come from SHELF_DB_USER and SHELF_DB_PASSWORD, or are asked for.",
      "",
      "Example: first 'shelf demo --keep' in another terminal, then with the URL it prints",
      "  SHELF_DB_USER=postgres SHELF_DB_PASSWORD= \\",
      "    shelf measure --db jdbc:postgresql://localhost:5432/skerry --seconds 60 \\",
      "    --report measured.html",
      "",
      "Example: a workload of your own",
      "  shelf measure --print-workload > workload.yaml",
      "  shelf measure --db URL --workload workload.yaml --rate 200 --ways answers",
      "",
      "Ctrl-C ends the run early and reports what has been measured by then."
    })
final class MeasureCommand implements Callable<Integer> {
  static final int CONNECTIONS_BESIDE_READERS = 9;
  private static final int SHARE_OF_WARM_UP = 10;
  private static final String UNDEFINED_TABLE = "42P01";

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Option(names = "--db", paramLabel = "URL", description = "A JDBC URL.")
  private @Nullable String url;

  @Option(
      names = "--workload",
      paramLabel = "FILE",
      description = "What to ask and to write (YAML). Default: the demo's.")
  private @Nullable Path workloadFile;

  @Option(
      names = "--print-workload",
      description = "Print the demo's workload file, to begin one of your own with.")
  private boolean printWorkload;

  @Option(
      names = "--ways",
      paramLabel = "WAY",
      split = ",",
      description = {
        "What to compare with direct reads: ${COMPLETION-CANDIDATES}. Default: all.",
        "The fewer, the more of the time each is read."
      })
  private Set<WayKind> ways = EnumSet.allOf(WayKind.class);

  @Option(
      names = "--seconds",
      paramLabel = "N",
      description = "How long to measure in all. Default: ${DEFAULT-VALUE}.")
  private int seconds = 20;

  @Option(
      names = "--warm-up",
      paramLabel = "N",
      description =
          "Seconds before that, not counted. Default: a tenth of --seconds, at least 2; none with"
              + " --replay.")
  private @Nullable Integer warmUp;

  @Option(
      names = "--readers",
      paramLabel = "N",
      description = "Threads that read. Default: ${DEFAULT-VALUE}.")
  private int readers = 4;

  @Option(
      names = "--rate",
      paramLabel = "N",
      description =
          "Reads a second, each due at its own moment, from which its latency counts. Default: the"
              + " workload's; 0 is as fast as can be.")
  private @Nullable Double rate;

  @Option(
      names = "--writes",
      paramLabel = "N",
      description = "Commits a second meanwhile. Default: the workload's.")
  private @Nullable Double writes;

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

  @Mixin private final RecordingOptions recordings = new RecordingOptions();

  @Option(names = "--json", description = "Print JSON instead of tables.")
  private boolean json;

  @Option(
      names = "--csv",
      description = "Print CSV instead of tables: a line for each way, and each query in it.")
  private boolean csv;

  @Mixin private final PageOptions pages = new PageOptions();

  @Override
  public Integer call() throws Exception {
    if (printWorkload) {
      spec.commandLine().getOut().print(SkerryLine.workload());
      spec.commandLine().getOut().flush();
      return 0;
    }
    if (url == null) {
      throw new Failure("No database is given: add --db jdbc:postgresql://HOST:PORT/DATABASE.");
    }
    if (json && csv) {
      throw new Failure("Give one of --json and --csv.");
    }
    pages.requireWritable();
    recordings.requireSensible(rate != null);
    Workload workload = workload();
    Comparison.Settings settings = settings(workload);
    Screen progress = new Screen(spec.commandLine().getErr());
    try (HikariDataSource pool =
        DatabaseOptions.pool(url, readers + CONNECTIONS_BESIDE_READERS, System.getenv())) {
      Comparison comparison = comparison(pool, workload, settings, progress);
      try (Interrupts ignored = Interrupts.first(comparison::stop)) {
        Result result = recordings.run(comparison, progress);
        progress.clear();
        if (result.ways().stream().allMatch(way -> way.reads() == 0)) {
          progress.line(
              "shelf: Nothing has been measured: the run ended while it prepared or warmed up.");
          return Failure.EXIT_CODE;
        }
        report(result);
        pages.draw(result, progress);
        result.faults().forEach(fault -> progress.line("shelf: " + fault + "."));
        return result.faults().isEmpty() ? 0 : 1;
      }
    } catch (WorkloadException e) {
      throw new Failure(nameOfWorkload() + ", " + e.getMessage(), e);
    } catch (SQLException e) {
      if (workloadFile == null && UNDEFINED_TABLE.equals(e.getSQLState())) {
        throw new Failure(
            "This database does not hold the demo's tables. 'shelf demo --keep' starts one that"
                + " does; for your own, give a --workload FILE.",
            e);
      }
      throw e;
    }
  }

  private Comparison comparison(
      DataSource pool, Workload workload, Comparison.Settings settings, Screen screen)
      throws SQLException, Failure {
    Optional<RecordedRequests> recorded = recordings.replayed(workload, readers, screen);
    return recorded.isPresent()
        ? Comparison.asking(recorded.get(), pool, workload, settings, told(screen))
        : drawing(pool, workload, settings, screen);
  }

  private Comparison.Settings settings(Workload workload) throws Failure {
    requireAtLeast("--seconds", seconds, 1);
    requireAtLeast("--readers", readers, 1);
    requireAtLeast("--ttl", ttl, 1);
    // Of a recording nothing is passed over unless asked for.
    int usual = recordings.replays() ? 0 : Math.max(2, seconds / SHARE_OF_WARM_UP);
    int warming = warmUp == null ? usual : warmUp;
    requireAtLeast("--warm-up", warming, 0);
    double reading = rate == null ? workload.readsPerSecond() : rate;
    requireAtLeast("--rate", reading, 0);
    double writing = writes == null ? workload.writesPerSecond() : writes;
    requireAtLeast("--writes", writing, 0);
    if (ways.stream().allMatch(way -> way == WayKind.DIRECT)) {
      throw new Failure("--ways must name a way beside direct, such as answers.");
    }
    return new Comparison.Settings(
        ways,
        Duration.ofSeconds(warming),
        Duration.ofSeconds(seconds),
        readers,
        reading,
        writing,
        Duration.ofSeconds(ttl),
        seed);
  }

  private Workload workload() throws Failure {
    if (workloadFile == null) {
      return demoWorkload();
    }
    try {
      return WorkloadFile.read(Files.readString(workloadFile));
    } catch (WorkloadException e) {
      throw new Failure(workloadFile + ", " + e.getMessage(), e);
    } catch (IOException e) {
      throw Failure.of("The workload " + workloadFile + " cannot be read", e);
    }
  }

  private String nameOfWorkload() {
    return workloadFile == null ? "The demo's workload" : workloadFile.toString();
  }

  private void report(Result result) throws JsonProcessingException {
    PrintWriter out = spec.commandLine().getOut();
    if (json) {
      out.println(
          new ObjectMapper()
              .enable(SerializationFeature.INDENT_OUTPUT)
              .writeValueAsString(new ComparisonFields(result).all()));
    } else if (csv) {
      out.print(new ComparisonFields(result).csv());
    } else {
      ComparisonReport report = new ComparisonReport(result);
      report.lines("").forEach(out::println);
      out.println();
      report.queryLines("").forEach(out::println);
      out.println();
      report.conditions("").forEach(out::println);
    }
    out.flush();
  }

  /** The workload that ships with the demo. */
  static Workload demoWorkload() {
    return WorkloadFile.read(SkerryLine.workload());
  }

  /** A comparison that tells a screen how far it is. */
  static Comparison drawing(
      DataSource pool, Workload workload, Comparison.Settings settings, Screen screen)
      throws SQLException {
    return Comparison.of(pool, workload, settings, told(screen));
  }

  private static Comparison.Progress told(Screen screen) {
    return (what, share) ->
        screen.status(String.format(Locale.ROOT, "%3.0f %%  %s", 100 * share, what));
  }

  static void requireAtLeast(String option, double value, double least) throws Failure {
    if (!(value >= least)) {
      throw new Failure(option + " must be at least " + (long) least + ", but is " + value + ".");
    }
  }
}
