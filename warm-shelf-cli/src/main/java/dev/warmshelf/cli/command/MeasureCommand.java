package dev.warmshelf.cli.command;

import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.InputFile;
import dev.warmshelf.cli.screen.Interrupts;
import dev.warmshelf.cli.screen.Json;
import dev.warmshelf.cli.screen.Limits;
import dev.warmshelf.cli.screen.OutputFiles;
import dev.warmshelf.cli.screen.Screen;
import dev.warmshelf.measure.figures.Result;
import dev.warmshelf.measure.figures.RunSettings;
import dev.warmshelf.measure.figures.Traffic;
import dev.warmshelf.measure.figures.WayKind;
import dev.warmshelf.measure.report.ComparisonFields;
import dev.warmshelf.measure.report.ComparisonReport;
import dev.warmshelf.measure.report.ReportPage;
import dev.warmshelf.measure.run.Comparison;
import dev.warmshelf.measure.run.ReaderServer;
import dev.warmshelf.measure.workload.DrawnSource;
import dev.warmshelf.measure.workload.RecordedRequests;
import dev.warmshelf.measure.workload.RequestSource;
import dev.warmshelf.measure.workload.Workload;
import dev.warmshelf.measure.workload.WorkloadFile;
import dev.warmshelf.postgres.driver.SqlState;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.shared.PostgresStore;
import dev.warmshelf.yaml.YamlException;
import java.io.FileDescriptor;
import java.io.FileOutputStream;
import java.io.PrintWriter;
import java.io.Writer;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.SQLException;
import java.time.Duration;
import java.util.EnumSet;
import java.util.List;
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
    footerHeading = "%nNotes:%n",
    footer = {
      "It writes to the database what the workload's changes say; --writes 0 only reads. A replayed "
          + "recording needs no workload; then nothing is written, and staleness is not measured.",
      DatabaseOptions.HELP,
      "",
      "Example: first 'shelf demo --keep' in another terminal, then the exports that it prints, and",
      "  shelf measure --seconds 60 --report measured.html",
      "",
      "Example: a workload of your own",
      "  shelf measure --print-workload > workload.yaml",
      "  shelf measure --db URL --workload workload.yaml --rate 200 --ways answers",
      "",
      "Ctrl-C ends the run early and reports what has been measured by then."
    })
public final class MeasureCommand implements Callable<Integer> {
  public static final int CONNECTIONS_BESIDE_READERS = 9;
  private static final int SHARE_OF_WARM_UP = 10;

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Mixin private final DatabaseOptions database = new DatabaseOptions();

  @Option(
      names = "--workload",
      paramLabel = "FILE",
      description = "What to ask and to write (YAML). Default: the demo's; with --replay none.")
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
        "What to compare with direct reads: ${COMPLETION-CANDIDATES}. Default: all but shared.",
        "The fewer, the more of the time each is read. 'shared' reads with a process for each"
            + " reader; they share the store that 'shelf store create' makes in this database."
      })
  private Set<WayKind> ways = EnumSet.complementOf(EnumSet.of(WayKind.SHARED));

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
      description = "Threads that read, or processes where they share. Default: ${DEFAULT-VALUE}.")
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

  /** This command is one of the processes that share, started by another. */
  @Option(names = SharingProcesses.OPTION, hidden = true, arity = "2")
  private List<String> readsFor = List.of();

  @Mixin private final RecordingOptions recordings = new RecordingOptions();

  @Option(names = "--json", description = "Print JSON instead of tables.")
  private boolean json;

  @Option(
      names = "--csv",
      description = "Print CSV instead of tables: a line for each way, and each query in it.")
  private boolean csv;

  @Mixin private final PageOptions pages = new PageOptions();

  @Mixin private final OutputFiles files = new OutputFiles();

  @Override
  public Integer call() throws Exception {
    if (printWorkload) {
      spec.commandLine().getOut().print(SkerryLine.workload());
      return 0;
    }
    if (!readsFor.isEmpty()) {
      return read(workload()); // the command that has started this one has checked the rest
    }
    if (json && csv) {
      throw new Failure("Give one of --json and --csv.");
    }
    files.reads(workloadFile);
    recordings.requireSensible(rate != null, files);
    pages.requireWritable(files, ReportPage.plotFiles());
    Workload workload = workload();
    RunSettings settings = settings(workload);
    Screen progress = new Screen(spec.commandLine().getErr());
    boolean shares = ways.contains(WayKind.SHARED);
    int connections =
        readers + CONNECTIONS_BESIDE_READERS + (shares ? SharingProcesses.CONNECTIONS : 0);
    try (HikariDataSource pool = database.pool(connections)) {
      Comparison comparison = comparison(pool, workload, settings, progress);
      try (Interrupts ignored = Interrupts.first(comparison::stop)) {
        return told(recordings.run(comparison, progress), progress);
      }
    } catch (YamlException e) {
      throw new Failure(nameOfWorkload() + ", " + e.getMessage(), e);
    } catch (SQLException e) {
      if (workloadFile == null && SqlState.UNDEFINED_TABLE.isOf(e)) {
        throw new Failure(
            "This database does not hold the demo's tables. 'shelf demo --keep' starts one that"
                + " does; for your own, give a --workload FILE.",
            e);
      }
      throw e;
    }
  }

  private int told(Result result, Screen progress) throws Failure {
    progress.clear();
    if (result.isEmpty()) {
      String why = result.endedBy().orElse("the run ended while it prepared or warmed up.");
      throw new Failure("Nothing has been measured: " + why);
    }
    report(result);
    pages.draw(() -> new ReportPage(result), progress);
    result.faults().forEach(fault -> progress.line("shelf: " + sentence(fault)));
    return result.faults().isEmpty() ? 0 : 1;
  }

  private static String sentence(String text) {
    return text.endsWith(".") ? text : text + ".";
  }

  private Comparison comparison(
      DataSource pool, Workload workload, RunSettings settings, Screen screen)
      throws SQLException, Failure {
    Comparison comparison =
        Comparison.asking(
            source(pool, workload, screen), pool, workload, settings, progressOn(screen));
    if (!ways.contains(WayKind.SHARED)) {
      return comparison;
    }
    CommandSpec tool = spec.root();
    return comparison.sharingThrough(
        new SharingProcesses(
            tool.userObject().getClass(),
            pool,
            database.asEnvironment(),
            tool.commandLine().getParseResult().originalArgs()));
  }

  private RequestSource source(DataSource pool, Workload workload, Screen screen)
      throws SQLException, Failure {
    Optional<RecordedRequests> recorded = recordings.replayed(pool, workload, readers, screen);
    if (recorded.isPresent()) {
      return recorded.get();
    }
    double perSecond = rate == null ? workload.readsPerSecond() : rate;
    try (Connection connection = pool.getConnection()) {
      return DrawnSource.of(workload, connection, seed, readers, perSecond);
    }
  }

  /** Reads for the command that has started this one, until that ends. */
  private int read(Workload workload) throws Exception {
    System.setOut(System.err); // whatever else would be written among the answers, such as logs
    Screen nobody = new Screen(new PrintWriter(Writer.nullWriter()));
    try (Interrupts ignored = Interrupts.first(() -> {}); // Ctrl-C is for that command
        HikariDataSource pool = database.pool(SharingProcesses.CONNECTIONS)) {
      ReaderServer.serve(
          pool,
          PostgresStore.on(pool).reading(1),
          source(pool, workload, nobody),
          readsFor.get(1),
          Integer.parseInt(readsFor.get(0)),
          System.in,
          new FileOutputStream(FileDescriptor.out));
    }
    return 0;
  }

  private RunSettings settings(Workload workload) throws Failure {
    Limits.require("--seconds", seconds, 1, Limits.MOST_SECONDS);
    Limits.require("--readers", readers, 1, Limits.MOST_READERS);
    Limits.require("--ttl", ttl, 1, Limits.MOST_SECONDS);
    // Of a recording nothing is passed over unless asked for.
    int usual = recordings.replays() ? 0 : Math.max(2, seconds / SHARE_OF_WARM_UP);
    int warming = warmUp == null ? usual : warmUp;
    Limits.require("--warm-up", warming, 0, Limits.MOST_SECONDS);
    double reading = rate == null ? workload.readsPerSecond() : rate;
    Limits.require("--rate", reading, 0, Limits.MOST_PER_SECOND);
    double writing = writes == null ? workload.writesPerSecond() : writes;
    Limits.require("--writes", writing, 0, Limits.MOST_PER_SECOND);
    if (ways.stream().allMatch(way -> way == WayKind.DIRECT || way == WayKind.SHARED)) {
      throw new Failure("--ways must name a way beside direct and shared, such as mended.");
    }
    return new RunSettings(
        ways,
        Duration.ofSeconds(warming),
        Duration.ofSeconds(seconds),
        new Traffic(readers, reading, writing),
        Duration.ofSeconds(ttl),
        seed);
  }

  private Workload workload() throws Failure {
    if (workloadFile == null) {
      return recordings.replays() ? recordings.nothingBeside() : demoWorkload();
    }
    try {
      return WorkloadFile.read(InputFile.read(workloadFile));
    } catch (YamlException e) {
      throw new Failure(workloadFile + ", " + e.getMessage(), e);
    }
  }

  private String nameOfWorkload() {
    return workloadFile == null ? "The demo's workload" : workloadFile.toString();
  }

  private void report(Result result) {
    PrintWriter out = spec.commandLine().getOut();
    if (json) {
      out.println(Json.indented(new ComparisonFields(result).all()));
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
  public static Workload demoWorkload() {
    return WorkloadFile.read(SkerryLine.workload());
  }

  /** A comparison that tells a screen how far it is. */
  public static Comparison drawing(
      DataSource pool, Workload workload, RunSettings settings, Screen screen) throws SQLException {
    return Comparison.of(pool, workload, settings, progressOn(screen));
  }

  private static Comparison.Progress progressOn(Screen screen) {
    return (what, share) ->
        screen.status(String.format(Locale.ROOT, "%3.0f %%  %s", 100 * share, what));
  }
}
