package dev.warmshelf.cli.program;

import dev.warmshelf.cli.program.ProgramMeters.Look;
import dev.warmshelf.cli.program.ProgramMeters.Meters;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.measure.text.TextTable;
import java.time.LocalTime;
import java.time.ZoneId;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/** Two looks at a program, one after the other, as a table, as lines, and as fields. */
public final class WatchReport {
  private static final String NONE = "–";

  /** Many columns must fit a terminal. */
  private static final int NARROW = 2;

  private final String program;
  private final Look before;
  private final Look now;
  private final Remarks remarks;
  private final double seconds;

  /** Of the table's columns those that a short line has, by the first word of their heads. */
  private static final Set<String> IN_A_LINE =
      Set.of("lookups/s", "hits now", "loads/s", "bypass/s", "invalid/s", "needless", "memory");

  /**
   * @param remarks of the program
   */
  public WatchReport(String program, Look before, Look now, Remarks remarks) {
    this.remarks = remarks;
    this.program = program;
    this.before = before;
    this.now = now;
    this.seconds = (now.nanos() - before.nanos()) / 1e9;
  }

  private interface Cell {
    String of(Meters now, Meters before);
  }

  /** Heads and cells, in their order. */
  private Map<String, Cell> columns() {
    Map<String, Cell> columns = new LinkedHashMap<>();
    columns.put("shelf", (m, b) -> m.text("Name"));
    columns.put("lookups/s", (m, b) -> rate(m.since(b, "Lookups")));
    columns.put("hits now", (m, b) -> ratio(m.since(b, "Hits"), m.since(b, "Lookups")));
    columns.put("in all", (m, b) -> ratio(m.count("Hits"), m.count("Lookups")));
    columns.put("kept", (m, b) -> Text.count(m.count("Entries")));
    columns.put("memory", (m, b) -> Text.bytes(m.count("Bytes")));
    columns.put(
        "saved/s", (m, b) -> Text.nanos(Math.round(m.since(b, "TimeSavedNanos") / seconds)));
    columns.put("hit p50", (m, b) -> time(m.count("HitP50Nanos")));
    columns.put("load p50", (m, b) -> time(m.count("LoadP50Nanos")));
    columns.put("loads/s", (m, b) -> rate(m.since(b, "Misses") - m.since(b, "Joined")));
    columns.put("invalid/s", (m, b) -> rate(m.since(b, "Invalidated")));
    columns.put("needless", (m, b) -> ratio(m.count("Needless"), m.count("Invalidated")));
    columns.put("wasted", (m, b) -> ratio(m.count("Wasted"), m.count("Fills")));
    columns.put("bypass/s", (m, b) -> rate(m.since(b, "Bypassed")));
    columns.put("late", (m, b) -> audits("AuditsLate", m));
    columns.put("never", (m, b) -> audits("AuditsNever", m));
    return columns;
  }

  public List<String> table() {
    List<String> lines = new ArrayList<>();
    lines.add("program " + program + ", " + clock());
    lines.add("");
    Map<String, Cell> columns = columns();
    TextTable table = new TextTable(List.copyOf(columns.keySet()), TextTable.Side.RIGHT, NARROW);
    now.shelves()
        .forEach(
            (id, meters) -> {
              Meters earlier = before.shelves().getOrDefault(id, meters);
              table.row(columns.values().stream().map(cell -> cell.of(meters, earlier)).toList());
            });
    lines.addAll(table.lines(""));
    lines.add("");
    now.feeds().forEach((id, feed) -> lines.add(feedLine(id, feed)));
    if (!now.saved().isEmpty()) {
      lines.add(net());
    }
    lines.addAll(remarks.lines());
    return lines;
  }

  /** What all of it saves a second, net, and what of its cost was own commits'. */
  private String net() {
    long saved = 0;
    for (Map.Entry<String, Long> each : now.saved().entrySet()) {
      saved += each.getValue() - before.saved().getOrDefault(each.getKey(), each.getValue());
    }
    long commits = 0;
    for (Map.Entry<String, Meters> each : now.feeds().entrySet()) {
      Meters earlier = before.feeds().getOrDefault(each.getKey(), each.getValue());
      commits += each.getValue().since(earlier, "CommitsTookNanos");
    }
    return "time saved, net: "
        + Text.nanos(Math.round(saved / seconds))
        + " a second; own commits took "
        + Text.nanos(Math.round(commits / seconds));
  }

  private String feedLine(String id, Meters feed) {
    Meters earlier = before.feeds().getOrDefault(id, feed);
    Optional<String> trouble = feed.text("Trouble").lines().findFirst();
    return "feed of "
        + shelvesOf(id)
        + ": "
        + feed.text("State")
        + trouble.map(why -> ": " + why).orElse("")
        + ", delivered up to "
        + time(feed.count("LagNanos"))
        + " ago; "
        + rate(feed.since(earlier, "Changes"))
        + " changes/s; everything was invalidated "
        + Text.count(feed.count("Resets"))
        + " times";
  }

  /** The shelves that follow a feed. */
  private String shelvesOf(String part) {
    List<String> names = new ArrayList<>();
    now.shelves()
        .forEach(
            (id, meters) -> {
              if (id.startsWith(part + "/")) {
                names.add(meters.text("Name"));
              }
            });
    return String.join(", ", names);
  }

  /** A short line for each shelf, of key-value pairs; a value with blanks is quoted. */
  public List<String> lines() {
    Map<String, Cell> columns = columns();
    List<String> lines = new ArrayList<>();
    now.shelves()
        .forEach(
            (id, meters) -> {
              Meters earlier = before.shelves().getOrDefault(id, meters);
              Meters feed = now.feeds().get(id.substring(0, id.indexOf('/')));
              StringBuilder line = new StringBuilder("time=").append(clock());
              pair(line, "shelf", meters.text("Name"));
              pair(line, "feed", feed == null ? "none" : feed.text("State"));
              columns.forEach(
                  (head, cell) -> {
                    if (IN_A_LINE.contains(head)) {
                      pair(line, head.split(" ", -1)[0], cell.of(meters, earlier));
                    }
                  });
              lines.add(line.toString());
            });
    return lines;
  }

  private static void pair(StringBuilder line, String name, String value) {
    line.append(' ')
        .append(name)
        .append('=')
        .append(shown(value.replaceAll("(?<=\\d) (?=\\D)", "")));
  }

  private static String shown(String text) {
    return text.matches("[^\\s\"=]+")
        ? text
        : '"' + text.replace("\\", "\\\\").replace("\"", "\\\"") + '"';
  }

  private static String clock() {
    return LocalTime.now(ZoneId.systemDefault()).truncatedTo(ChronoUnit.SECONDS).toString();
  }

  public Map<String, @Nullable Object> fields() {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("seconds", seconds);
    fields.put("shelves", shelves());
    fields.putAll(remarks.fields());
    return fields;
  }

  private List<Map<String, @Nullable Object>> shelves() {
    List<Map<String, @Nullable Object>> shelves = new ArrayList<>();
    now.shelves().forEach((id, meters) -> shelves.add(shelf(id, meters)));
    return shelves;
  }

  /** What follows from two looks, then all that the program shows, then its feed. */
  private Map<String, @Nullable Object> shelf(String id, Meters meters) {
    Meters earlier = before.shelves().getOrDefault(id, meters);
    long lookups = meters.since(earlier, "Lookups");
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("shelf", meters.text("Name"));
    fields.put("lookupsPerSecond", lookups / seconds);
    fields.put("hitRatioNow", share(meters.since(earlier, "Hits"), lookups));
    fields.put("hitRatio", share(meters.count("Hits"), meters.count("Lookups")));
    meters
        .attributes()
        .forEach(
            (name, value) -> {
              if (!name.equals("Name")) {
                fields.put(
                    name.substring(0, 1).toLowerCase(Locale.ROOT) + name.substring(1), value);
              }
            });
    Meters feed = now.feeds().get(id.substring(0, id.indexOf('/')));
    fields.put("feed", feed == null ? "none" : feed.text("State"));
    fields.put("feedLagNanos", feed == null ? null : feed.count("LagNanos"));
    return fields;
  }

  private static @Nullable Double share(long part, long whole) {
    return whole == 0 ? null : (double) part / whole;
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

  private static String audits(String finding, Meters meters) {
    long audited =
        meters.count("AuditsAgreed") + meters.count("AuditsLate") + meters.count("AuditsNever");
    return audited == 0 ? NONE : Text.count(meters.count(finding));
  }

  private static String time(long nanos) {
    return nanos <= 0 ? NONE : Text.nanos(nanos);
  }
}
