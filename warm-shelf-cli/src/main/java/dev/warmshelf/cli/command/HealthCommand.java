package dev.warmshelf.cli.command;

import dev.warmshelf.WarmShelf;
import dev.warmshelf.cli.program.HealthInWords;
import dev.warmshelf.cli.program.ProgramDesk;
import dev.warmshelf.cli.program.ProgramTarget;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.Json;
import dev.warmshelf.measure.text.Controls;
import dev.warmshelf.measure.text.Text;
import java.io.PrintWriter;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;

/** {@code shelf health}: how a running program's shelves are. */
@Command(
    name = "health",
    mixinStandardHelpOptions = true,
    description = {
      "Says how a running program's shelves are: live, on TTL alone, lagging, lost or closed, since "
          + "when and why, and what reads of each shelf get now."
    },
    footerHeading = "%nNotes:%n",
    footer = {
      "Exit codes: 0 live, or on TTL alone; 1 not so; 2 it could not be asked.",
      "",
      "Example:",
      "  shelf health 12345"
    })
public final class HealthCommand implements Callable<Integer> {
  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Mixin private final ProgramTarget program = new ProgramTarget();

  @Option(names = "--json", description = "Print one JSON object for each part of the program.")
  private boolean json;

  @Override
  public Integer call() throws Failure {
    PrintWriter out = spec.commandLine().getOut();
    List<Map<String, Object>> parts = program.ask(ProgramDesk::health);
    boolean well = true;
    for (Map<String, Object> part : parts) {
      well &= Boolean.TRUE.equals(part.get("IsWell"));
      if (json) {
        out.println(Json.onOneLine(fields(part)));
      } else {
        if (parts.size() > 1) {
          out.println("part         " + part.get("program"));
        }
        lines(part, out);
      }
    }
    out.flush();
    return well ? 0 : 1;
  }

  private static Map<String, Object> fields(Map<String, Object> part) {
    Map<String, Object> fields = new LinkedHashMap<>();
    fields.put("state", HealthInWords.state(part));
    fields.put("well", part.get("IsWell"));
    fields.put("why", part.get("Why"));
    fields.put("version", part.get("Version"));
    fields.put("driver", part.get("Driver"));
    fields.put("lagMillis", part.get("LagMillis"));
    fields.put("lostSince", part.get("LostSince"));
    fields.put("shelves", part.get("Gives"));
    fields.put("timeSavedNanos", part.get("TimeSavedNanos"));
    if (!shared(part).isEmpty()) {
      fields.put("shared", shared(part));
    }
    return fields;
  }

  private static String shared(Map<String, Object> part) {
    return String.valueOf(part.getOrDefault("Shared", ""));
  }

  /** What the program runs, since a check by this tool knows only its own. */
  private static String versions(Map<String, Object> part) {
    Object version = part.getOrDefault("Version", "an older version");
    String own = WarmShelf.version();
    return "Warm Shelf "
        + version
        + (own.equals(version) ? "" : " (this tool is " + own + "; take the same)")
        + ", PostgreSQL's driver "
        + part.getOrDefault("Driver", "of an unknown version");
  }

  private static void lines(Map<String, Object> part, PrintWriter out) {
    long millis = part.get("LagMillis") instanceof Long known ? known : -1;
    String lag = millis < 0 ? "" : "; changes are known up to " + millis + " ms ago";
    out.println("health       " + HealthInWords.inWords(part, lag));
    out.println("runs         " + versions(part));
    if (part.get("Gives") instanceof Map<?, ?> gives) {
      gives.forEach(
          (shelf, what) -> out.println("reads get    " + Controls.inOneLine(shelf + ": " + what)));
    }
    if (part.get("TimeSavedNanos") instanceof Long saved) {
      out.println("time saved   " + Text.nanos(saved) + ", net of what reads and own commits cost");
    }
    if (!shared(part).isEmpty()) {
      out.println("shared store " + shared(part));
    }
  }
}
