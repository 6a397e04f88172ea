package dev.warmshelf.cli;

import dev.warmshelf.cli.WatchCommand.Counts;
import dev.warmshelf.cli.WatchCommand.FeedState;
import dev.warmshelf.cli.WatchCommand.Look;
import dev.warmshelf.cli.text.Text;
import dev.warmshelf.cli.text.TextTable;
import java.time.LocalTime;
import java.time.ZoneId;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/** Two looks at a program, one after the other, as a table, as lines, and as fields. */
final class WatchReport {
  private static final String NONE = "–";

  /** Many columns must fit a terminal. */
  private static final int NARROW = 2;

  private final String program;
  private final Look before;
  private final Look now;
  private final double seconds;

  WatchReport(String program, Look before, Look now) {
    this.program = program;
    this.before = before;
    this.now = now;
    this.seconds = (now.nanos() - before.nanos()) / 1e9;
  }

  List<String> table() {
    List<String> lines = new ArrayList<>();
    lines.add(
        "program "
            + program
            + ", "
            + LocalTime.now(ZoneId.systemDefault()).truncatedTo(ChronoUnit.SECONDS));
    lines.add("");
    TextTable table =
        new TextTable(
            List.of(
                "shelf",
                "lookups/s",
                "hits now",
                "in all",
                "kept",
                "memory",
                "saved/s",
                "hit p50",
                "load p50",
                "loads/s",
                "put out/s",
                "needless",
                "wasted",
                "around/s",
                "late",
                "never"),
            TextTable.Side.RIGHT,
            NARROW);
    now.shelves()
        .forEach(
            (id, counts) -> {
              Counts earlier = before.shelves().getOrDefault(id, counts);
              table.row(
                  List.of(
                      counts.name(),
                      rate(counts.lookups() - earlier.lookups()),
                      ratio(counts.hits() - earlier.hits(), counts.lookups() - earlier.lookups()),
                      ratio(counts.hits(), counts.lookups()),
                      Text.count(counts.size()),
                      Text.bytes(counts.bytes()),
                      time(
                          Math.max(
                              0,
                              Math.round((counts.savedNanos() - earlier.savedNanos()) / seconds))),
                      time(counts.hitNanos()),
                      time(counts.loadNanos()),
                      rate(counts.misses() - counts.joined() - earlier.misses() + earlier.joined()),
                      rate(counts.invalidated() - earlier.invalidated()),
                      ratio(counts.needless(), counts.invalidated()),
                      ratio(counts.wasted(), counts.fills()),
                      rate(counts.bypassed() - earlier.bypassed()),
                      audits(counts.late(), counts),
                      audits(counts.never(), counts)));
            });
    lines.addAll(table.lines(""));
    lines.add("");
    now.feeds()
        .forEach(
            (id, feed) -> {
              FeedState earlier = before.feeds().getOrDefault(id, feed);
              lines.add(
                  "feed of "
                      + shelvesOf(id)
                      + ": "
                      + feed.state()
                      + (feed.trouble().isEmpty()
                          ? ""
                          : ": " + feed.trouble().lines().findFirst().orElse(""))
                      + ", delivered up to "
                      + time(feed.lagNanos())
                      + " ago; "
                      + rate(feed.changes() - earlier.changes())
                      + " changes/s; everything was out "
                      + Text.count(feed.upheavals())
                      + " times");
            });
    return lines;
  }

  /** The shelves that follow a feed. */
  private String shelvesOf(String part) {
    List<String> names = new ArrayList<>();
    now.shelves()
        .forEach(
            (id, counts) -> {
              if (id.startsWith(part + "/")) {
                names.add(counts.name());
              }
            });
    return String.join(", ", names);
  }

  /** A line for each shelf, of key-value pairs. */
  List<String> lines() {
    List<String> lines = new ArrayList<>();
    for (Map<String, @Nullable Object> shelf : shelves()) {
      StringBuilder line =
          new StringBuilder(
              LocalTime.now(ZoneId.systemDefault()).truncatedTo(ChronoUnit.SECONDS).toString());
      shelf.forEach(
          (name, value) ->
              line.append(' ')
                  .append(name)
                  .append('=')
                  .append(
                      value instanceof Double number
                          ? String.format(Locale.ROOT, "%.3f", number)
                          : String.valueOf(value)));
      lines.add(line.toString());
    }
    return lines;
  }

  Map<String, @Nullable Object> fields() {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("seconds", seconds);
    fields.put("shelves", shelves());
    return fields;
  }

  private List<Map<String, @Nullable Object>> shelves() {
    List<Map<String, @Nullable Object>> shelves = new ArrayList<>();
    now.shelves()
        .forEach(
            (id, counts) -> {
              Counts earlier = before.shelves().getOrDefault(id, counts);
              FeedState feed = now.feeds().get(id.substring(0, id.indexOf('/')));
              long lookups = counts.lookups() - earlier.lookups();
              Map<String, @Nullable Object> fields = new LinkedHashMap<>();
              fields.put("shelf", counts.name());
              fields.put("lookups", counts.lookups());
              fields.put("lookupsPerSecond", lookups / seconds);
              fields.put(
                  "hitRatioNow",
                  lookups == 0 ? null : (double) (counts.hits() - earlier.hits()) / lookups);
              fields.put(
                  "hitRatio",
                  counts.lookups() == 0 ? null : (double) counts.hits() / counts.lookups());
              fields.put("kept", counts.size());
              fields.put("bytes", counts.bytes());
              fields.put("timeSavedNanos", counts.savedNanos());
              fields.put("hitP50Nanos", counts.hitNanos());
              fields.put("loadP50Nanos", counts.loadNanos());
              fields.put("fills", counts.fills());
              fields.put("wasted", counts.wasted());
              fields.put("invalidated", counts.invalidated());
              fields.put("needless", counts.needless());
              fields.put("bypassed", counts.bypassed());
              fields.put("auditsAgreed", counts.agreed());
              fields.put("auditsLate", counts.late());
              fields.put("auditsNever", counts.never());
              fields.put("feed", feed == null ? "none" : feed.state());
              fields.put("feedLagNanos", feed == null ? null : feed.lagNanos());
              shelves.add(fields);
            });
    return shelves;
  }

  private String rate(long count) {
    double each = count / seconds;
    return each < 10 && each > 0
        ? String.format(Locale.ROOT, "%.1f", each)
        : Text.count(Math.round(each));
  }

  private static String ratio(long part, long whole) {
    return whole == 0 ? NONE : Text.percent((double) part / whole);
  }

  private static String audits(long count, Counts counts) {
    return counts.agreed() + counts.late() + counts.never() == 0 ? NONE : Text.count(count);
  }

  private static String time(long nanos) {
    return nanos == 0 ? NONE : Text.nanos(nanos);
  }
}
