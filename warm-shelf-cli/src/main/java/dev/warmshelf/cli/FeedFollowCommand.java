package dev.warmshelf.cli;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.cli.text.Text;
import dev.warmshelf.feed.Batch;
import dev.warmshelf.feed.Change;
import dev.warmshelf.feed.FeedException;
import dev.warmshelf.fresh.SystemTime;
import dev.warmshelf.journal.JournalReader;
import dev.warmshelf.lane.Lane;
import java.io.PrintWriter;
import java.sql.SQLException;
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
      "For each: when it was seen, how long after the statement ran, what happened, to which table,",
      "and the groups of rows it touched."
    },
    footer = {
      "",
      "Example:",
      "  shelf feed follow --db URL --json | head",
      "",
      "Ctrl-C ends it. A change of a transaction that stays open shows once that has committed."
    })
final class FeedFollowCommand implements java.util.concurrent.Callable<Integer> {
  private static final Duration PAUSE = Duration.ofMillis(20);
  private static final Duration PAUSE_AFTER_FAILURE = Duration.ofSeconds(1);
  private static final int GROUPS_SHOWN = 5;
  private static final DateTimeFormatter CLOCK =
      DateTimeFormatter.ofPattern("HH:mm:ss.SSS", Locale.ROOT).withZone(ZoneId.systemDefault());

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Mixin
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private FeedCommand.Database database;

  @Option(names = "--json", description = "Print one JSON object a line.")
  private boolean json;

  @Option(names = "--changes", paramLabel = "N", description = "End after so many changes.")
  private long most = Long.MAX_VALUE;

  private final ObjectMapper mapper = new ObjectMapper();
  private final CountDownLatch stopped = new CountDownLatch(1);

  @Override
  public Integer call() throws Exception {
    PrintWriter out = spec.commandLine().getOut();
    Screen progress = new Screen(spec.commandLine().getErr());
    try (HikariDataSource pool = database.pool();
        SystemTime time = SystemTime.start();
        JournalReader reader = JournalReader.open(pool, time);
        Interrupts ignored = Interrupts.first(stopped::countDown)) {
      progress.line("Following; Ctrl-C ends it.");
      follow(reader, out, progress);
    } catch (FeedException e) {
      throw new Failure(String.valueOf(e.getMessage()), e);
    }
    out.flush();
    return 0;
  }

  private void follow(JournalReader reader, PrintWriter out, Screen progress)
      throws InterruptedException, JsonProcessingException {
    long left = most;
    boolean lost = false;
    boolean waiting = false;
    Duration pause = PAUSE;
    while (left > 0 && !stopped.await(pause.toMillis(), TimeUnit.MILLISECONDS)) {
      try {
        if (!reader.isConnected()) {
          reader.connect();
        }
        Batch batch = reader.look();
        if (lost) {
          lost = false;
          pause = PAUSE;
          progress.line("Back; going on from the place.");
        }
        if (batch.mark() == null && !waiting) {
          waiting = true;
          progress.line(
              "Nobody followed until now: transactions that began earlier note nothing of what they"
                  + " do.");
        }
        if (batch.upheaval() != null) {
          progress.line(batch.upheaval() + "; everything kept would be out.");
        }
        for (Change change : batch.changes()) {
          if (change.table().equals(Lane.SCHEMA)) {
            progress.line("The schema has changed; what depends on that would be out.");
          } else if (left > 0) {
            left--;
            out.println(json ? asJson(change) : asLine(change));
          }
        }
        out.flush();
        reader.taken();
      } catch (SQLException e) {
        reader.giveUp();
        if (!lost) {
          lost = true;
          pause = PAUSE_AFTER_FAILURE;
          progress.line("Lost: " + Failure.inOneLine(e) + " Trying again.");
        }
      }
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
        groups(change.groups()));
  }

  private static String groups(@Nullable List<String> groups) {
    if (groups == null) {
      return "at large";
    }
    String shown = String.join("  ", groups.subList(0, Math.min(groups.size(), GROUPS_SHOWN)));
    int more = groups.size() - GROUPS_SHOWN;
    return more > 0 ? shown + "  and " + more + " more" : shown;
  }

  private String asJson(Change change) throws JsonProcessingException {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("seen", Instant.now().toString());
    fields.put("lagNanos", change.age().toNanos());
    fields.put("kind", change.kind());
    fields.put("lane", change.table().name());
    fields.put("groups", change.groups());
    fields.put("transaction", change.transaction());
    return mapper.writeValueAsString(fields);
  }
}
