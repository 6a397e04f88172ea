package dev.warmshelf.cli.command;

import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.base.Amounts;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.Interrupts;
import dev.warmshelf.cli.screen.Json;
import dev.warmshelf.cli.screen.Limits;
import dev.warmshelf.cli.screen.OutputFiles;
import dev.warmshelf.cli.screen.Screen;
import dev.warmshelf.measure.report.SurveyPage;
import dev.warmshelf.measure.report.SurveyReport;
import dev.warmshelf.measure.survey.Survey;
import dev.warmshelf.measure.survey.SurveyException;
import dev.warmshelf.measure.survey.Surveyed;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.study.Findings;
import dev.warmshelf.study.Study;
import java.io.IOException;
import java.io.PrintWriter;
import java.nio.file.Path;
import java.sql.SQLException;
import java.time.Duration;
import java.util.concurrent.Callable;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;

/** {@code shelf survey}: which reads of a database are worth keeping. */
@Command(
    name = "survey",
    mixinStandardHelpOptions = true,
    description = {
      "Says which reads of a database are worth keeping, by the database's own statistics: it reads "
          + "them twice, some time apart, while the programs do their usual work.",
      "For each statement: its share of the server's time, whether its answers can be kept, what "
          + "they depend on and how often that changes, which share a shelf would answer at worst, "
          + "likely and at best, and whether an index would be the better cure.",
      "Nothing of Warm Shelf needs to be there, and no statement of the programs is executed."
    },
    footerHeading = "%nNotes:%n",
    footer = {
      "The server must count statements (the extension pg_stat_statements), and the role must see "
          + "them: GRANT pg_read_all_stats TO role, and SELECT on the tables.",
      "Ctrl-C ends the watching, and tells of the time until then.",
      "",
      DatabaseOptions.HELP,
      "",
      "Examples:",
      "  shelf survey --db jdbc:postgresql://localhost/ferries",
      "  shelf survey --db jdbc:postgresql://localhost/ferries --for 1h --json",
      "",
      "Exit codes: 0 it was surveyed; 2 it could not be."
    })
public final class SurveyCommand implements Callable<Integer> {
  private static final int CONNECTIONS = 2;
  private static final int TIMES = 4;
  private static final int PAUSE_SECONDS = 5;
  private static final Duration LEAST = Duration.ofSeconds(1);

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Option(
      names = "--for",
      paramLabel = "TIME",
      defaultValue = "60s",
      description = "How long to watch, such as 30s, 10min. Default: ${DEFAULT-VALUE}.")
  private String time = "60s";

  @Option(
      names = "--ttl",
      paramLabel = "TIME",
      defaultValue = "10min",
      description =
          "How long answers would be kept at most, whatever changes. Default: ${DEFAULT-VALUE}.")
  private String ttl = "10min";

  @Option(
      names = "--most",
      paramLabel = "N",
      description = "How many statements to show. Default: ${DEFAULT-VALUE}.")
  private int most = 10;

  @Option(names = "--json", description = "Print one JSON object, with all statements.")
  private boolean json;

  @Option(
      names = "--recording",
      paramLabel = "FILE",
      description = "A recording of the program, by which --config knows what repeats.")
  private @Nullable Path recording;

  @Option(
      names = "--report",
      paramLabel = "FILE",
      description = "Write an HTML page; it needs nothing beside it.")
  private @Nullable Path page;

  @Mixin private final AdvisedOptions advised = new AdvisedOptions();

  @Mixin private final OutputFiles files = new OutputFiles();

  @Mixin private final DatabaseOptions database = new DatabaseOptions();

  @Override
  public Integer call() throws Exception {
    Limits.require("--most", most, 1, Integer.MAX_VALUE);
    Duration watched = time("--for", time);
    Duration kept = time("--ttl", ttl);
    if (recording != null && !advised.isAsked()) {
      throw new Failure("A recording is for the configuration: add --config FILE.");
    }
    files.reads(recording);
    files.writes("--report", page);
    advised.requireWritable(files);
    Screen screen = new Screen(spec.commandLine().getErr());
    Findings findings =
        recording == null ? null : StudyCommand.study(recording, Study.Plan.usual(), screen);
    Surveyed surveyed;
    try (HikariDataSource pool = database.pool(CONNECTIONS)) {
      surveyed = survey(pool, watched, kept, screen);
    }
    PrintWriter out = spec.commandLine().getOut();
    if (json) {
      out.println(Json.indented(SurveyReport.fields(surveyed)));
    } else {
      new SurveyReport(surveyed, most).lines().forEach(out::println);
    }
    out.flush();
    if (page != null) {
      try {
        new SurveyPage(surveyed, most).writePage(page);
        screen.line("written: " + page);
      } catch (IOException e) {
        throw Failure.of("The page cannot be written", e);
      }
    }
    advised.write(surveyed, findings, from(surveyed), screen);
    return 0;
  }

  private String from(Surveyed surveyed) {
    return "'shelf survey' of "
        + Text.nanos(surveyed.lasted().toNanos())
        + " from "
        + surveyed.began()
        + (recording == null ? "" : ", and the recording " + recording);
  }

  private static Duration time(String option, String text) throws Failure {
    try {
      Duration time = Amounts.time(text);
      if (time.compareTo(LEAST) < 0 || time.toSeconds() > Limits.MOST_SECONDS) {
        throw new Failure(option + " must be from 1s to 7d, but is " + text + ".");
      }
      return time;
    } catch (IllegalArgumentException e) {
      throw new Failure(option + ": " + e.getMessage(), e);
    }
  }

  /** What was watched is not lost with a connection: it is in the server's statistics. */
  private static Surveyed end(Survey survey, Screen screen) throws Exception {
    for (int left = TIMES; ; left--) {
      try {
        return survey.end(
            (done, all) ->
                screen.status("looked at " + Text.count(done) + " of " + Text.count(all)));
      } catch (SQLException e) {
        if (left == 1) {
          throw e;
        }
        screen.line("shelf: " + Failure.inOneLine(e) + " It is looked at again.");
        TimeUnit.SECONDS.sleep(PAUSE_SECONDS);
      }
    }
  }

  /** Watches a database for a time, or until Ctrl-C. */
  private static Surveyed survey(
      DataSource database, Duration watched, Duration kept, Screen screen) throws Exception {
    CountDownLatch enough = new CountDownLatch(1);
    try (Interrupts ignored = Interrupts.first(enough::countDown)) {
      Survey survey = Survey.begin(database, kept);
      long end = System.nanoTime() + watched.toNanos();
      for (long left = watched.toNanos(); left > 0; left = end - System.nanoTime()) {
        screen.status("watching, " + Text.nanos(left) + " more; Ctrl-C ends it and tells");
        if (enough.await(Math.min(left, 1_000_000_000), TimeUnit.NANOSECONDS)) {
          break;
        }
      }
      return end(survey, screen);
    } catch (SurveyException e) {
      throw new Failure(String.valueOf(e.getMessage()), e);
    } finally {
      screen.clear();
    }
  }
}
