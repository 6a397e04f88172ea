package dev.warmshelf.cli.demo;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.cli.command.DatabaseOptions;
import dev.warmshelf.cli.command.MeasureCommand;
import dev.warmshelf.cli.command.PageOptions;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.Limits;
import dev.warmshelf.cli.screen.OutputFiles;
import dev.warmshelf.cli.screen.Screen;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.measure.report.ReportPage;
import dev.warmshelf.measure.text.ShellText;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.Scale;
import dev.warmshelf.scenario.SkerryLine;
import java.io.IOException;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.concurrent.Callable;
import java.util.concurrent.CountDownLatch;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;

/** {@code shelf demo}: the whole story on a database of its own. */
@Command(
    name = "demo",
    mixinStandardHelpOptions = true,
    description =
        "Shows what keeping answers gains and costs, on a PostgreSQL of its own in a temporary"
            + " directory, filled with a made-up ferry company. Leaves nothing behind but PostgreSQL's"
            + " programs, which it unpacks once for each user.",
    footerHeading = "%nExamples:%n",
    footer = {
      "  shelf demo --small        a tenth of the data, done in half a minute",
      "  shelf demo --keep         leave the database running afterwards, until Ctrl-C",
      "  shelf demo --report r.html  write what step 6 measures as a page"
    })
public final class DemoCommand implements Callable<Integer> {
  private static final String DATABASE = "skerry";
  private static final int FULL_SECONDS = 24;
  private static final int SMALL_SECONDS = 12;

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Option(
      names = "--scale",
      paramLabel = "N",
      description = "Size of the data; 1, the default, is 60,000 sailings and 1,500,000 bookings.")
  private @Nullable Double scale;

  @Option(names = "--small", description = "A tenth of the data and a shorter run.")
  private boolean small;

  @Option(
      names = "--seconds",
      paramLabel = "N",
      description = "How long readers and writers run. Default: 24, with --small 12.")
  private @Nullable Integer seconds;

  @Option(names = "--keep", description = "Keep the database running at the end, until Ctrl-C.")
  private boolean keep;

  @Mixin private final PageOptions pages = new PageOptions();

  @Mixin private final OutputFiles files = new OutputFiles();

  private volatile boolean interrupted;

  @Override
  public Integer call() throws Exception {
    if (scale != null && small) {
      throw new Failure("Give --scale or --small, not both.");
    }
    Limits.require("--seconds", secondsAsked(), 1, Limits.MOST_SECONDS);
    pages.requireWritable(files, ReportPage.plotFiles());
    Scale size = scaleAsked();
    Screen screen = new Screen(spec.commandLine().getOut());
    screen.line("Warm Shelf demo: Skerry Line, a made-up ferry company");
    for (String line : LocalPostgres.removeAbandoned()) {
      screen.line(line + ".");
    }
    long began = System.nanoTime();
    screen.heading(1, "A database of our own");
    screen.status("   starting PostgreSQL");
    LocalPostgres server = LocalPostgres.start();
    Thread onInterrupt = new Thread(() -> stop(server, screen), "ctrl-c");
    Runtime.getRuntime().addShutdownHook(onInterrupt);
    try {
      return play(server, size, screen, began);
    } catch (Exception e) {
      if (interrupted) {
        new CountDownLatch(1).await(); // the machine is shutting down: it says so, and ends us
      }
      throw e;
    } finally {
      if (!interrupted) {
        server.close();
        Runtime.getRuntime().removeShutdownHook(onInterrupt);
      }
    }
  }

  private int play(LocalPostgres server, Scale size, Screen screen, long began) throws Exception {
    screen.line("   PostgreSQL at " + server.url(DATABASE) + ", started in " + since(began));
    fill(server, size, screen);
    HikariConfig config = new HikariConfig();
    config.setDataSource(server.dataSource(DATABASE));
    int readers = 4;
    try (HikariDataSource pool =
        DatabaseOptions.pool(config, readers + MeasureCommand.CONNECTIONS_BESIDE_READERS)) {
      boolean sound =
          new DemoStory(
                  pool, server.dataSource(DATABASE), server.url(DATABASE), screen, recorded(server))
              .tell(secondsAsked(), readers, pages);
      whereToGoNext(screen);
      screen.line("");
      screen.line("Done in " + since(began) + ".");
      screen.line(
          "PostgreSQL's programs stay in " + LocalPostgres.programs() + " for the next start.");
      if (keep) {
        awaitInterrupt(server, screen);
      }
      return sound ? 0 : 1;
    }
  }

  /** Goes with the database. */
  private static Path recorded(LocalPostgres server) {
    return server.directory().resolve("first-draft.jsonl.gz");
  }

  private int secondsAsked() {
    if (seconds != null) {
      return seconds;
    }
    return small ? SMALL_SECONDS : FULL_SECONDS;
  }

  private Scale scaleAsked() throws Failure {
    if (scale == null) {
      return small ? Scale.SMALL : Scale.DEFAULT;
    }
    try {
      return new Scale(scale);
    } catch (IllegalArgumentException e) {
      throw new Failure(String.valueOf(e.getMessage()), e);
    }
  }

  private static void fill(LocalPostgres server, Scale size, Screen screen) throws SQLException {
    long began = System.nanoTime();
    try (Connection admin = server.dataSource("postgres").getConnection();
        Statement statement = admin.createStatement()) {
      statement.execute("CREATE DATABASE " + DATABASE);
    }
    try (Connection connection = server.dataSource(DATABASE).getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("CREATE EXTENSION pg_stat_statements");
      SkerryLine.load(
          connection,
          size,
          (table, done, all) -> {
            screen.status(
                "   loading " + table + ": " + Text.count(done) + " of " + Text.count(all));
            if (done == all && all >= 10_000) {
              screen.line("   " + Text.count(all) + " rows of " + table);
            }
          });
    }
    screen.line("   " + SkerryLine.TABLES.size() + " tables loaded in " + since(began));
    Journal.on(server.dataSource(DATABASE)).install(SkerryLine.FOLLOWED);
    screen.line("   journal installed: from now on triggers note which rows each commit changed");
  }

  private static void whereToGoNext(Screen screen) {
    screen.heading(8, "Where to go next");
    screen.line(
        "   ./shelf key \"SELECT ...\"    what a statement's key is, and whether it may be kept");
    screen.line(
        "   ./shelf demo --keep         then what it prints at its end: ./shelf measure, survey, study");
    screen.line(
        "   ./shelf survey --db URL     which reads of your own database are worth keeping");
    screen.line("   README.md                   the same in twenty lines of Java");
    screen.line("   docs/freshness.md           why a kept answer can be trusted");
  }

  private static void awaitInterrupt(LocalPostgres server, Screen screen)
      throws InterruptedException {
    screen.line("");
    screen.line("The database stays until Ctrl-C. In another terminal:");
    screen.line("  export SHELF_DB_URL=" + server.url(DATABASE) + " SHELF_DB_USER=postgres");
    screen.line("  export PGPASSFILE=" + ShellText.quoted(server.passwords().toString()));
    screen.line("  ./shelf measure");
    screen.line("  ./shelf survey");
    screen.line("  ./shelf study " + ShellText.quoted(recorded(server).toString()));
    new CountDownLatch(1).await();
  }

  private void stop(LocalPostgres server, Screen screen) {
    interrupted = true;
    try {
      server.close();
      screen.line("");
      screen.line("Stopped. The database and its directory are gone.");
    } catch (IOException e) {
      screen.line("shelf: " + server.directory() + " could not be deleted: " + e.getMessage());
    }
  }

  private static String since(long beganNanos) {
    return Text.nanos(System.nanoTime() - beganNanos);
  }
}
