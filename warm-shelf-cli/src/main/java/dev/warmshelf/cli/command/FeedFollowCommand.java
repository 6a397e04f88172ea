package dev.warmshelf.cli.command;

import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.base.SystemTime;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.Interrupts;
import dev.warmshelf.cli.screen.Json;
import dev.warmshelf.cli.screen.Screen;
import dev.warmshelf.delivery.Delivery;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.lane.Change;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.spi.feed.Batch;
import dev.warmshelf.spi.feed.FeedException;
import java.io.PrintWriter;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;

/** {@code shelf feed follow}: changes as they arrive. */
@Command(
    name = "follow",
    mixinStandardHelpOptions = true,
    description = {
      "Prints changes as they arrive.",
      "For each: when it was seen, how long after the statement ran, what happened, to which table, "
          + "and the groups of rows it touched."
    },
    footerHeading = "%nExample:%n",
    footer = {
      "  shelf feed follow --db URL --json | head",
      "",
      DatabaseOptions.HELP,
      "",
      "Ctrl-C ends it. A change of a transaction that stays open shows once that has committed."
    })
final class FeedFollowCommand implements java.util.concurrent.Callable<Integer> {
  private static final Duration PAUSE = Duration.ofMillis(20);
  private static final Duration LOOK_AT_STATE = Duration.ofMillis(200);
  private static final int CONNECTIONS = 2;
  private static final int GROUPS_SHOWN = 5;
  private static final DateTimeFormatter CLOCK =
      DateTimeFormatter.ofPattern("HH:mm:ss.SSS", Locale.ROOT).withZone(ZoneId.systemDefault());

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Mixin private final DatabaseOptions database = new DatabaseOptions();

  @Option(names = "--json", description = "Print one JSON object a line.")
  private boolean json;

  @Option(names = "--changes", paramLabel = "N", description = "End after so many changes.")
  private long most = Long.MAX_VALUE;

  private final CountDownLatch ended = new CountDownLatch(1);

  @Override
  public Integer call() throws Exception {
    Screen progress = new Screen(spec.commandLine().getErr());
    try (HikariDataSource pool = database.pool(CONNECTIONS);
        SystemTime time = SystemTime.start();
        JournalFeed feed =
            JournalFeed.on(pool).polling(PAUSE).telling(batch -> tell(batch, progress));
        Interrupts ignored = Interrupts.first(ended::countDown)) {
      feed.follow(new Delivery(new Board(), time, feed.meters(), cleared -> {}));
      progress.line("Following; Ctrl-C ends it.");
      tellOfTrouble(feed, progress);
    } catch (FeedException e) {
      throw new Failure(String.valueOf(e.getMessage()), e);
    }
    return 0;
  }

  /** Says when the feed is lost, and when it is back. */
  private void tellOfTrouble(JournalFeed feed, Screen progress) throws InterruptedException {
    boolean lost = false;
    while (!ended.await(LOOK_AT_STATE.toMillis(), TimeUnit.MILLISECONDS)) {
      FeedMeters.Snapshot now = feed.meters().snapshot();
      if (now.state() == FeedMeters.State.LOST && !lost) {
        progress.line("Lost: " + now.trouble().orElse("") + ". Trying again.");
        lost = true;
      } else if (now.state() == FeedMeters.State.LIVE && lost) {
        progress.line("Back; going on from the place.");
        lost = false;
      }
    }
  }

  /** On the feed's thread. */
  private synchronized void tell(Batch batch, Screen progress) {
    PrintWriter out = spec.commandLine().getOut();
    if (batch.reset().isPresent()) {
      progress.line(batch.reset().get() + "; everything kept would be invalidated.");
    }
    for (Change change : batch.changes()) {
      if (most > 0) {
        most--;
        out.println(json ? asJson(change) : asLine(change));
      }
    }
    out.flush();
    if (most <= 0 || out.checkError()) {
      ended.countDown();
    }
  }

  private static String asLine(Change change) {
    return String.format(
        Locale.ROOT,
        "%s  %8s  %-8s  %-22s  %s",
        CLOCK.format(Instant.now()),
        Text.nanos(change.age().toNanos()),
        change.kind(),
        change.table(),
        groups(change.groups().orElse(null)));
  }

  private static String groups(@Nullable List<String> groups) {
    if (groups == null) {
      return "at large";
    }
    String shown = String.join("  ", groups.subList(0, Math.min(groups.size(), GROUPS_SHOWN)));
    int more = groups.size() - GROUPS_SHOWN;
    return more > 0 ? shown + "  and " + more + " more" : shown;
  }

  private String asJson(Change change) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("seen", Instant.now().toString());
    fields.put("lagNanos", change.age().toNanos());
    fields.put("kind", change.kind());
    fields.put("lane", change.table().name());
    fields.put("groups", change.groups().orElse(null));
    fields.put("transaction", change.transaction());
    return Json.onOneLine(fields);
  }
}
