package dev.warmshelf.measure.report;

import dev.warmshelf.measure.database.DatabaseFacts;
import dev.warmshelf.measure.database.DatabaseWork;
import dev.warmshelf.measure.figures.Conditions;
import dev.warmshelf.measure.figures.Figures;
import dev.warmshelf.measure.figures.QueryFigures;
import dev.warmshelf.measure.figures.QueryVerdict;
import dev.warmshelf.measure.figures.Result;
import dev.warmshelf.measure.figures.Staleness;
import dev.warmshelf.measure.figures.WayKind;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.measure.text.TextTable;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.trial.BreakEven;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.function.Function;
import java.util.function.ToLongFunction;
import org.HdrHistogram.Histogram;

/** A comparison as tables for people. */
public final class ComparisonReport {
  static final String NONE = "–";

  private final Result result;

  /** Of this result. */
  public ComparisonReport(Result result) {
    this.result = result;
  }

  /** One column per way, one line per measure. */
  public List<String> lines(String indent) {
    TextTable table = new TextTable(waysHead());
    wayRows().forEach(table::row);
    return table.lines(indent);
  }

  /** The head of {@link #wayRows()}. */
  List<String> waysHead() {
    List<String> head = new ArrayList<>(List.of(""));
    result.ways().forEach(way -> head.add(way.way().label()));
    return head;
  }

  /** One row per measure: its name, then its figure in each way. */
  List<List<String>> wayRows() {
    List<List<String>> rows = new ArrayList<>();
    boolean openLoop = result.conditions().pace().paced();
    row(rows, "reads", f -> Text.count(f.reads().count()));
    if (openLoop) {
      row(rows, "not asked in time", f -> Text.count(f.reads().notAsked()));
    }
    row(rows, "reads a second", f -> Text.count(Math.round(f.readsPerSecond())));
    if (!openLoop) {
      row(rows, "  against direct", this::againstDirect);
    }
    row(
        rows,
        "hit ratio",
        f -> f.hitRatio().isPresent() ? Text.percent(f.hitRatio().getAsDouble()) : NONE);
    row(
        rows,
        "  stood down, asked directly",
        f -> f.kept().meters().map(ComparisonReport::stoodDown).orElse(NONE));
    for (double percentile : new double[] {50, 95, 99, 100}) {
      String name = percentile == 100 ? "latency max" : "latency p" + (int) percentile;
      row(rows, name, f -> percentile(f.reads().latency(), percentile));
    }
    if (result.ways().stream().anyMatch(figures -> figures.way() == WayKind.SHARED)) {
      row(rows, "given by other processes", ComparisonReport::shared);
    }
    row(rows, "time saved", f -> kept(f, Text.nanos(Math.max(0, f.savedNanos()))));
    row(
        rows,
        "  net of all reads' cost",
        f -> f.kept().meters().map(all -> Text.nanos(all.timeSavedNanos())).orElse(NONE));
    row(rows, "memory held at the end", f -> kept(f, Text.bytes(f.bytesHeld())));
    databaseRows(rows);
    stalenessRows(rows);
    return rows;
  }

  private static String stoodDown(Meters.Snapshot all) {
    return Text.count(all.get(BypassReason.STANDS_DOWN));
  }

  private void databaseRows(List<List<String>> rows) {
    row(rows, "database reads, our count", f -> Text.count(f.database().ownCount()));
    row(rows, "database reads, its own count", f -> work(f, DatabaseWork.Done::calls));
    row(
        rows,
        "  per 1,000 reads",
        f ->
            Text.count(
                Math.round(1000.0 * f.database().ownCount() / Math.max(1, f.reads().count()))));
    row(rows, "  rows", f -> work(f, DatabaseWork.Done::rows));
    row(
        rows,
        "  time",
        f -> f.database().work().map(done -> Text.nanos(done.nanos())).orElse("not counted"));
    row(rows, "  blocks found in its memory", f -> work(f, DatabaseWork.Done::buffersFound));
    row(rows, "  blocks read into it", f -> work(f, DatabaseWork.Done::buffersRead));
  }

  private void stalenessRows(List<List<String>> rows) {
    row(rows, "reads with versions", f -> Text.count(f.staleness().judged()));
    row(rows, "  stale, invalidated late", f -> judged(f, Staleness::late));
    row(rows, "  stale, never invalidated", f -> judged(f, Staleness::never));
    row(rows, "  staleness p50", f -> percentile(f.staleness().ages(), 50));
    row(rows, "  staleness max", f -> percentile(f.staleness().ages(), 100));
    row(rows, "invalidation lag p50", f -> percentile(f.kept().lags(), 50));
    row(rows, "invalidation lag p99", f -> percentile(f.kept().lags(), 99));
  }

  /** Query by query: the finest way against direct reads, and what that means in words. */
  public List<String> queryLines(String indent) {
    TextTable table = new TextTable(queriesHead());
    queryRows().forEach(table::row);
    List<String> lines = new ArrayList<>(table.lines(indent));
    lines.add("");
    TextTable words = new TextTable(List.of("verdict", ""), TextTable.Side.LEFT);
    for (String query : result.queries()) {
      String name = query;
      for (String part : result.verdict(query).words().split("; ", -1)) {
        words.row(List.of(name, part)); // each on a line of its own, so that it fits a terminal
        name = "";
      }
    }
    lines.addAll(words.lines(indent));
    return lines;
  }

  /** The head of {@link #queryRows()}. */
  List<String> queriesHead() {
    return List.of(
        result.finest().way().label(),
        "reads",
        "hit ratio",
        "first call",
        "direct",
        "hit",
        "miss",
        "miss penalty",
        "break-even",
        "memory",
        "revived",
        "mended",
        "needless");
  }

  /** One row per query; times are medians, but for the first call. */
  List<List<String>> queryRows() {
    List<List<String>> rows = new ArrayList<>();
    for (String query : result.queries()) {
      QueryVerdict verdict = result.verdict(query);
      QueryFigures figures = verdict.kept();
      Optional<BreakEven> times = verdict.breakEven();
      rows.add(
          List.of(
              query,
              Text.count(figures.reads()),
              figures.reads() == 0 ? NONE : Text.percent(figures.hitRatio()),
              Optional.ofNullable(result.facts().get(query))
                  .map(facts -> Text.nanos(facts.firstCallNanos()))
                  .orElse(NONE),
              percentile(verdict.direct().others(), 50),
              percentile(figures.hits(), 50),
              percentile(figures.others(), 50),
              times.map(t -> Text.times(t.missPenalty())).orElse(NONE),
              times.map(t -> t.ratio() > 1 ? "never" : Text.percent(t.ratio())).orElse(NONE),
              Text.bytes(figures.held().bytes()),
              Text.count(figures.revived()),
              Text.count(figures.mended()),
              Text.count(figures.needless())));
    }
    return rows;
  }

  /** What was run, so that anybody can run it again, and what to know of the figures. */
  public List<String> conditions(String indent) {
    List<String> lines = new ArrayList<>();
    lines.add(indent + database());
    lines.add(indent + traffic());
    Conditions conditions = result.conditions();
    lines.add(
        indent
            + "seed "
            + conditions.settings().seed()
            + ", request stream "
            + conditions.digest());
    Figures finest = result.finest();
    finest.kept().meters().ifPresent(meters -> lines.add(indent + meters(finest, meters)));
    result.notes().forEach(note -> lines.add(indent + note + "."));
    return lines;
  }

  private String database() {
    DatabaseFacts facts = result.conditions().database();
    StringBuilder data = new StringBuilder();
    facts
        .data()
        .forEach(
            (label, count) ->
                data.append(", ").append(Text.count(count)).append(' ').append(label));
    return String.format(
        Locale.ROOT,
        "%s: %s (%s)%s; %d processors, Java %s",
        result.conditions().workload(),
        facts.product(),
        Text.bytes(facts.bytes()),
        data,
        Runtime.getRuntime().availableProcessors(),
        System.getProperty("java.version"));
  }

  private String traffic() {
    Conditions conditions = result.conditions();
    return String.format(
        Locale.ROOT,
        "%d readers, %s; %,d commits in %.1f s, after %.1f s of warming up; TTL %d s",
        conditions.settings().traffic().readers(),
        conditions.pace().words(),
        result.commits().size(),
        conditions.took().toMillis() / 1e3,
        conditions.warmedUp().toMillis() / 1e3,
        conditions.settings().ttl().toSeconds());
  }

  private static String meters(Figures figures, Meters.Snapshot meters) {
    return String.format(
        Locale.ROOT,
        "%s: %,d lookups, %,d hits (%,d revived, %,d old on purpose), %,d misses (%,d joined, %,d mended), %,d fills (%,d wasted),"
            + " %,d invalidated (%,d needlessly), %,d bypassed",
        figures.way().label(),
        meters.lookups(),
        meters.get(Count.HITS),
        meters.get(Count.REVIVED),
        meters.get(Count.OLD),
        meters.get(Count.MISSES),
        meters.get(Count.JOINED),
        meters.get(Count.MENDED),
        meters.get(Count.FILLS),
        meters.get(Count.WASTED),
        meters.get(Count.INVALIDATED),
        meters.get(Count.NEEDLESS),
        meters.bypassed());
  }

  private void row(List<List<String>> rows, String name, Function<Figures, String> figure) {
    List<String> cells = new ArrayList<>(List.of(name));
    result.ways().forEach(way -> cells.add(figure.apply(way)));
    rows.add(cells);
  }

  private String againstDirect(Figures figures) {
    double direct = result.direct().readsPerSecond();
    return figures.equals(result.direct()) || direct == 0
        ? NONE
        : Text.times(figures.readsPerSecond() / direct);
  }

  private static String shared(Figures figures) {
    return figures.way() == WayKind.SHARED
        ? Text.count(figures.queries().values().stream().mapToLong(QueryFigures::shared).sum())
        : NONE;
  }

  private static String kept(Figures figures, String text) {
    return figures.reads().lookups() == 0 ? NONE : text;
  }

  private static String work(Figures figures, ToLongFunction<DatabaseWork.Done> count) {
    return figures
        .database()
        .work()
        .map(done -> Text.count(count.applyAsLong(done)))
        .orElse("not counted");
  }

  private static String judged(Figures figures, ToLongFunction<Staleness> count) {
    Staleness staleness = figures.staleness();
    return staleness.isMeasured() ? Text.count(count.applyAsLong(staleness)) : NONE;
  }

  private static String percentile(Histogram histogram, double percentile) {
    return histogram.getTotalCount() == 0
        ? NONE
        : Text.nanos(histogram.getValueAtPercentile(percentile));
  }
}
