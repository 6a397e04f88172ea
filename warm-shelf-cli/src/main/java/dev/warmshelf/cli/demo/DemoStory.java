package dev.warmshelf.cli.demo;

import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.Question;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.cli.command.MeasureCommand;
import dev.warmshelf.cli.command.PageOptions;
import dev.warmshelf.cli.screen.Screen;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.measure.database.DatabaseWork;
import dev.warmshelf.measure.figures.Result;
import dev.warmshelf.measure.figures.RunSettings;
import dev.warmshelf.measure.figures.Traffic;
import dev.warmshelf.measure.figures.WayKind;
import dev.warmshelf.measure.report.ComparisonReport;
import dev.warmshelf.measure.report.ReportPage;
import dev.warmshelf.measure.report.StudyReport;
import dev.warmshelf.measure.report.SurveyReport;
import dev.warmshelf.measure.survey.Survey;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.scenario.Questions;
import dev.warmshelf.scenario.Scale;
import dev.warmshelf.shared.StoreSchema;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.SharedState;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.study.Findings;
import dev.warmshelf.study.Study;
import java.math.BigDecimal;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.Instant;
import java.util.EnumSet;
import java.util.List;
import java.util.Map;
import java.util.concurrent.locks.LockSupport;
import javax.sql.DataSource;
import org.HdrHistogram.Histogram;

/** What the demo shows once its database is there, step by step. */
final class DemoStory {
  private static final int BASELINE_READS = 20;
  static final int PORT = 1;
  private static final int STORE_BYTES = 64 << 20;
  private static final double WRITES = 10;
  private static final Duration TTL = Duration.ofSeconds(5);
  private static final Duration DRAFT = Duration.ofSeconds(5);
  private static final int MOST_SHOWN = 2;
  private static final Duration WARM_UP = Duration.ofSeconds(2);

  record Departure(
      int id,
      Instant leavesAt,
      String status,
      String vessel,
      String destination,
      long version,
      long revision,
      BigDecimal metresLeft) {}

  private final HikariDataSource pool;
  private final DataSource others;
  private final String url;
  private final Screen screen;
  private final Path recorded;

  /**
   * @param others connections of another program, which knows nothing of us
   * @param url of the same database
   * @param recorded where what the last step's program asks is recorded
   */
  DemoStory(HikariDataSource pool, DataSource others, String url, Screen screen, Path recorded) {
    this.pool = pool;
    this.others = others;
    this.url = url;
    this.screen = screen;
    this.recorded = recorded;
  }

  /** Tells it; returns whether all that was measured is as it must be. */
  boolean tell(int seconds, int readers, PageOptions pages) throws Exception {
    try (WarmShelf warm = WarmShelf.over(pool).following(JournalFeed.on(pool)).open()) {
      ShelvedQuery<Departure> departures = warm.query(Questions.DEPARTURES).as(Departure.class);
      baseline(departures);
      firstAndSecondRead(departures);
      somebodyElseBooks(departures);
    }
    otherProcesses();
    boolean sound = readersAndWriters(seconds, readers, pages);
    whatToKeep();
    return sound;
  }

  private void whatToKeep() throws Exception {
    screen.heading(7, "What to keep, and whether its keys are right");
    say(
        "a program as somebody has drafted it asks for %d s; of what reaches the server, its own",
        DRAFT.toSeconds());
    say("statistics say:");
    Survey survey = Survey.begin(pool, Duration.ofMinutes(10));
    FirstDraft.run(pool, DRAFT, recorded);
    screen.line("");
    new SurveyReport(survey.end((done, all) -> {}), MOST_SHOWN).table("   ").forEach(screen::line);
    screen.line("");
    say("it was recorded, too; what it asked, and was given, says of its keys:");
    Findings findings = Study.of(recorded, Study.Plan.usual());
    new StudyReport(findings, MOST_SHOWN).adviceLines("   ").forEach(screen::line);
  }

  private void baseline(ShelvedQuery<Departure> departures) throws SQLException {
    screen.heading(2, "The direct read, before anything is kept");
    Histogram direct = new Histogram(3);
    long first = 0;
    int rows = 0;
    try (Connection connection = pool.getConnection();
        Statement statement = connection.createStatement()) {
      for (int i = 0; i <= BASELINE_READS; i++) {
        long began = System.nanoTime();
        rows = 0;
        try (ResultSet result = statement.executeQuery(departuresAsPlainSql())) {
          while (result.next()) {
            rows++;
          }
        }
        long took = System.nanoTime() - began;
        if (i == 0) {
          first = took;
        } else {
          direct.recordValue(took);
        }
      }
    }
    say(
        "the departures board of port %d on %s has %d sailings, each with the metres still free",
        PORT, Scale.FIRST_DAY, rows);
    say(
        "first read %s; then %d reads: median %s, p95 %s",
        Text.nanos(first),
        BASELINE_READS,
        Text.nanos(direct.getValueAtPercentile(50)),
        Text.nanos(direct.getValueAtPercentile(95)));
    if (departures.refusal().isEmpty()) {
      say("its answers may be kept; they are read from %s", departures.tables());
    }
  }

  private void firstAndSecondRead(ShelvedQuery<Departure> departures) throws SQLException {
    screen.heading(3, "The same through the shelf");
    warmUp(departures);
    DatabaseWork work = boardsAsked();
    for (String which : List.of("first read ", "second read")) {
      long before = work.done().calls();
      long began = System.nanoTime();
      Reading<List<Departure>> reading = board(departures).list();
      long took = System.nanoTime() - began;
      say(
          "%s  %-6s  %8s   statements the database executed: %d",
          which, reading.origin(), Text.nanos(took), work.done().calls() - before);
      if (reading.origin().isHit()) {
        dependsOn(reading);
      }
    }
  }

  /** The database's own count of how often a board was asked for. */
  private DatabaseWork boardsAsked() throws SQLException {
    DatabaseWork.Sample board =
        new DatabaseWork.Sample(
            SqlStatement.of(Questions.DEPARTURES), Map.of("port", PORT, "day", Scale.FIRST_DAY));
    return DatabaseWork.of(others, List.of(board))
        .orElseThrow(() -> new IllegalStateException("the demo's database counts statements"));
  }

  /** Classes loaded and statements prepared, of loading and of mending; then nothing is kept. */
  private void warmUp(ShelvedQuery<Departure> departures) throws SQLException {
    Reading<List<Departure>> last = board(departures).list();
    try (Connection connection = others.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(
          "UPDATE sailing SET version = version + 1 WHERE id = " + last.value().get(0).id());
    }
    awaitInvalidation(last);
    board(departures).list();
    board(departures).clear();
  }

  /** What must change for the kept answer to be invalidated. */
  private void dependsOn(Reading<List<Departure>> reading) {
    List<Lane> lanes = reading.lanes();
    List<String> tables =
        lanes.stream().map(Lane::name).filter(name -> !name.contains("=")).toList();
    long sailings = lanes.stream().filter(lane -> lane.name().contains("sailing_id=")).count();
    say(
        "it holds until something changes in the sailings of %s, in the bookings of its %s sailings,",
        Scale.FIRST_DAY, Text.count(sailings));
    say(
        "or in %s",
        String.join(", ", tables.stream().map(name -> name.replace("public.", "")).toList()));
  }

  private void somebodyElseBooks(ShelvedQuery<Departure> departures) throws SQLException {
    screen.heading(4, "Somebody else books, with plain SQL, on a connection of their own");
    Departure before = board(departures).list().value().get(0);
    long committed;
    try (Connection connection = others.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(
          "INSERT INTO booking (sailing_id, agent_id, metres, seats, cents, status, booked_at)"
              + " VALUES ("
              + before.id()
              + ", 1, 4.5, 2, 5550, 'HELD', '2026-05-01Z')");
      committed = System.nanoTime();
    }
    int old = 0;
    long asked = System.nanoTime();
    Reading<List<Departure>> reading = board(departures).list();
    while (reading.origin().isHit()) {
      old++;
      asked = System.nanoTime();
      reading = board(departures).list();
    }
    long answered = System.nanoTime();
    Departure after = reading.value().get(0);
    say("INSERT INTO booking ... 4.5 metres on sailing %d, committed", before.id());
    say(
        "the shelf's answer was invalidated %s after the commit returned; %s hits until then were late",
        Text.nanos(asked - committed), Text.count(old));
    say(
        "the next read, %s, took %s and asked for what had changed: %s metres free before, %s now",
        reading.origin(), Text.nanos(answered - asked), before.metresLeft(), after.metresLeft());
  }

  private void otherProcesses() throws Exception {
    screen.heading(5, "Another process, and one that is started anew");
    StoreSchema.create(others, STORE_BYTES, List.of());
    Path directory = Files.createTempDirectory("warm-shelf-demo");
    Path file = directory.resolve("answers");
    try {
      DatabaseWork work = boardsAsked();
      try (WarmShelf first = DemoProcess.open(pool, url, directory.resolve("first"), true)) {
        DemoProcess.ask(first, PORT + 1); // classes are loaded by then
        long before = work.done().calls();
        long began = System.nanoTime();
        Reading<?> reading = DemoProcess.ask(first, PORT);
        long took = System.nanoTime() - began;
        said("this process", reading.origin().toString(), took, work.done().calls() - before);
        awaitShared(first, 2);
        before = work.done().calls();
        DemoProcess.Said second = DemoProcess.run(url, file, true);
        said(
            "process " + second.pid(),
            second.origin(),
            second.nanos(),
            work.done().calls() - before);
      }
      say(
          "they share a table, warm_shelf_store.answer: one loads for all; each judges by its own feed");
      long before = work.done().calls();
      DemoProcess.Said third = DemoProcess.run(url, file, false);
      said("process " + third.pid(), third.origin(), third.nanos(), work.done().calls() - before);
      say("it shares nothing, and began with the file that the one before it has left");
    } finally {
      for (String each : List.of("answers", "answers.lock", "first", "first.lock")) {
        Files.deleteIfExists(directory.resolve(each));
      }
      Files.delete(directory);
    }
  }

  private void said(String who, String origin, long nanos, long statements) {
    say(
        "%-15s  %-6s  %8s   boards the database was asked for: %d",
        who, origin, Text.nanos(nanos), statements);
  }

  private static void awaitShared(WarmShelf warm, long answers) throws SQLException {
    long deadline = System.nanoTime() + 5_000_000_000L;
    while (warm.shared().orElseThrow().count(SharedState.Count.WRITTEN) < answers) {
      if (System.nanoTime() > deadline) {
        throw new SQLException("The store has not been written to for 5 seconds.");
      }
      LockSupport.parkNanos(100_000);
    }
  }

  private boolean readersAndWriters(int seconds, int readers, PageOptions pages) throws Exception {
    screen.heading(6, "Readers and writers together, for " + seconds + " seconds");
    RunSettings settings =
        new RunSettings(
            EnumSet.of(WayKind.TTL, WayKind.TABLES, WayKind.ANSWERS, WayKind.MENDED, WayKind.OLD),
            WARM_UP,
            Duration.ofSeconds(seconds),
            new Traffic(readers, 0, WRITES),
            TTL,
            1);
    say("six ways take turns, with the same requests and the same writer, mostly of bookings:");
    say(
        "direct; kept for %d s whatever happens; kept until a table changes; until rows change that",
        TTL.toSeconds());
    say(
        "the question names or the answer shows; the same, where then only what has changed is asked");
    say("for; and that again, where the two reports may be a minute old on purpose");
    Result result =
        MeasureCommand.drawing(pool, MeasureCommand.demoWorkload(), settings, screen).run();
    screen.clear();
    screen.line("");
    ComparisonReport report = new ComparisonReport(result);
    report.lines("   ").forEach(screen::line);
    screen.line("");
    report.queryLines("   ").forEach(screen::line);
    screen.line("");
    report.conditions("   ").forEach(screen::line);
    screen.line("");
    say(
        "A late read missed a commit that the feed had not told of yet; it polls every %d ms.",
        JournalFeed.DEFAULT_INTERVAL.toMillis());
    say(
        "Table lanes: one booking invalidates every board. Answer lanes: only boards that show its sailing.");
    pages.draw(() -> new ReportPage(result), screen);
    result.faults().forEach(fault -> say("WRONG: %s", fault));
    return result.faults().isEmpty();
  }

  private static Question<Departure> board(ShelvedQuery<Departure> departures) {
    return departures.with("port", PORT).with("day", Scale.FIRST_DAY);
  }

  private static String departuresAsPlainSql() {
    return Questions.DEPARTURES
        .replace(":port", Integer.toString(PORT))
        .replace(":day", "'" + Scale.FIRST_DAY + "'");
  }

  /** Waits until the board has noticed that an answer from before a change is out. */
  private static void awaitInvalidation(Reading<?> before) throws SQLException {
    long deadline = System.nanoTime() + 5_000_000_000L;
    while (before.holdsStill()) {
      if (System.nanoTime() > deadline) {
        throw new SQLException("The feed has not told of a change for 5 seconds.");
      }
      LockSupport.parkNanos(100_000);
    }
  }

  private void say(String format, Object... values) {
    screen.line("   " + String.format(java.util.Locale.ROOT, format, values));
  }
}
