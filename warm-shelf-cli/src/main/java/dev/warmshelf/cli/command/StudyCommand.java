package dev.warmshelf.cli.command;

import dev.warmshelf.base.Amounts;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.Json;
import dev.warmshelf.cli.screen.Limits;
import dev.warmshelf.cli.screen.OutputFiles;
import dev.warmshelf.cli.screen.Screen;
import dev.warmshelf.measure.report.StudyPage;
import dev.warmshelf.measure.report.StudyReport;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.study.Findings;
import dev.warmshelf.study.Study;
import java.io.IOException;
import java.io.PrintWriter;
import java.nio.file.Path;
import java.util.List;
import java.util.concurrent.Callable;
import java.util.function.Function;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

/** {@code shelf study}: what a recording says about keeping answers. */
@Command(
    name = "study",
    mixinStandardHelpOptions = true,
    description = {
      "Studies a recording of what a program asks: which questions repeat, and how soon; which keys "
          + "are split by an input that decides nothing, or mix answers since an input is missing; "
          + "and what other memory, or keeping for a time alone, would give.",
      "It asks no database. 'shelf measure --record FILE' makes a recording to try it with; in a "
          + "program, ShelfRecording does, or 'recording' in its configuration."
    },
    footerHeading = "%nNotes:%n",
    footer = {
      "An answer is taken for true when it was given. Of more keys than --keys a sample is looked at, "
          + "and each share says how far it may be off, in 19 of 20 cases.",
      "",
      "Examples:",
      "  shelf study questions.jsonl.gz",
      "  shelf study questions.jsonl.gz --memory 8MiB,32MiB,128MiB --json",
      "",
      "Exit codes: 0 nothing is wrong with any key; 1 something is; 2 it could not be read."
    })
public final class StudyCommand implements Callable<Integer> {
  private static final int FEWEST_KEYS = 100;
  private static final long PROGRESS = 1_000_000;

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "FILE", description = "The recording.")
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private Path file;

  @Option(
      names = "--memory",
      split = ",",
      paramLabel = "BYTES",
      description = "Rooms to look at, such as 8MiB,64MiB. Default: 1MiB to 1GiB.")
  private List<String> memory = List.of();

  @Option(
      names = "--ttl",
      split = ",",
      paramLabel = "TIME",
      description = "Times to keep answers for, such as 30s,5min. Default: 1s to 1h.")
  private List<String> lives = List.of();

  @Option(
      names = "--leaving",
      split = ",",
      paramLabel = "CHOICE",
      description =
          "What may leave first: ${COMPLETION-CANDIDATES}. Default: the first three of these.")
  private List<Leaving> leaving = List.of();

  @Option(
      names = "--keys",
      paramLabel = "N",
      description = "Look at no more keys than this. Default: 16384.")
  private int keys = Study.Plan.usual().mostKeys();

  @Option(
      names = "--most",
      paramLabel = "N",
      description = "How many statements to show. Default: ${DEFAULT-VALUE}.")
  private int most = 20;

  @Option(names = "--json", description = "Print one JSON object, with all statements.")
  private boolean json;

  @Mixin private final PageOptions pages = new PageOptions();

  @Mixin private final AdvisedOptions advised = new AdvisedOptions();

  @Mixin private final OutputFiles files = new OutputFiles();

  @Override
  public Integer call() throws Failure {
    Limits.require("--keys", keys, FEWEST_KEYS, Integer.MAX_VALUE);
    Limits.require("--most", most, 1, Integer.MAX_VALUE);
    Study.Plan usual = Study.Plan.usual();
    Study.Plan plan =
        new Study.Plan(
            keys,
            memory.isEmpty() ? usual.memory() : amounts("--memory", memory, Amounts::bytes),
            leaving.isEmpty() ? usual.leaving() : List.copyOf(leaving),
            lives.isEmpty() ? usual.lives() : amounts("--ttl", lives, Amounts::time));
    files.reads(file);
    pages.requireWritable(files, StudyPage.plotFiles());
    advised.requireWritable(files);
    Screen screen = new Screen(spec.commandLine().getErr());
    Findings findings = study(file, plan, screen);
    PrintWriter out = spec.commandLine().getOut();
    if (json) {
      out.println(Json.indented(StudyReport.fields(findings)));
    } else {
      new StudyReport(findings, most).lines().forEach(out::println);
    }
    out.flush();
    pages.draw(() -> new StudyPage(findings, most), screen);
    advised.write(null, findings, "'shelf study' of " + file, screen);
    return findings.advice().isEmpty() ? 0 : 1;
  }

  /** Studies a recording that has questions. */
  static Findings study(Path file, Study.Plan plan, Screen screen) throws Failure {
    try {
      Findings findings = Study.of(file, plan, read -> tell(read, screen));
      if (findings.repeats().isEmpty()) {
        throw new Failure(file + " has no question in it.");
      }
      return findings;
    } catch (IOException e) {
      throw Failure.of(file.toString(), e);
    }
  }

  private static void tell(long read, Screen screen) {
    if (read % PROGRESS == 0) {
      screen.line("read: " + Text.count(read) + " questions");
    }
  }

  private static <T> List<T> amounts(String option, List<String> texts, Function<String, T> read)
      throws Failure {
    try {
      return texts.stream().map(read).toList();
    } catch (IllegalArgumentException e) {
      throw new Failure(option + ": " + e.getMessage(), e);
    }
  }
}
