package dev.warmshelf.cli;

import dev.warmshelf.cli.measure.Figures;
import dev.warmshelf.cli.measure.QueryFigures;
import dev.warmshelf.cli.measure.Result;
import dev.warmshelf.meter.BreakEven;
import dev.warmshelf.meter.Meters;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import org.HdrHistogram.Histogram;
import org.jspecify.annotations.Nullable;

/** A comparison as a table for people, and as fields for programs. */
final class ComparisonReport {
  private static final String NONE = "–";

  /** Medians of fewer say nothing. */
  private static final int FEWEST_READS = 20;

  private final Result result;

  ComparisonReport(Result result) {
    this.result = result;
  }

  /** One column per way, one line per measure. */
  List<String> lines(String indent) {
    List<String> head = new ArrayList<>(List.of(""));
    result.ways().forEach(way -> head.add(way.way()));
    head.add("");
    TextTable table = new TextTable(head);
    measure(table, "reads", f -> Text.count(f.reads()), "");
    measure(table, "reads a second", f -> Text.count(Math.round(f.readsPerSecond())), factor());
    measure(
        table,
        "hit ratio",
        f -> f.hitRatio().isPresent() ? Text.percent(f.hitRatio().getAsDouble()) : NONE,
        "");
    measure(table, "latency p50", f -> latency(f, 50), "");
    measure(table, "latency p95", f -> latency(f, 95), "");
    measure(table, "latency p99", f -> latency(f, 99), "");
    measure(table, "latency max", f -> latency(f, 100), "");
    measure(table, "database reads, our count", f -> Text.count(f.ownDatabaseReads()), "");
    measure(
        table,
        "database reads, its own count",
        f ->
            f.countedDatabaseReads().isPresent()
                ? Text.count(f.countedDatabaseReads().getAsLong())
                : "not counted",
        "");
    measure(
        table,
        "database reads per 1,000 reads",
        f -> String.format(Locale.ROOT, "%,.0f", 1000.0 * f.ownDatabaseReads() / f.reads()),
        "");
    measure(table, "stale reads, late", f -> Text.count(f.late()), "");
    measure(table, "stale reads, never put out", f -> Text.count(f.never()), "");
    measure(table, "staleness p50", f -> staleness(f, 50), "");
    measure(table, "staleness max", f -> staleness(f, 100), "");
    return table.lines(indent);
  }

  /** Query by query: the last way against direct reads, and what that means in words. */
  List<String> queryLines(String indent) {
    Figures direct = result.ways().get(0);
    Figures kept = result.ways().get(result.ways().size() - 1);
    TextTable table =
        new TextTable(
            List.of(
                kept.way(),
                "reads",
                "hit ratio",
                "direct",
                "hit",
                "miss",
                "miss penalty",
                "break-even",
                "verdict"));
    kept.queries()
        .forEach(
            (query, figures) -> {
              QueryFigures directly = direct.queries().getOrDefault(query, new QueryFigures());
              Optional<BreakEven> times = breakEven(directly, figures);
              table.row(
                  List.of(
                      query,
                      Text.count(figures.reads()),
                      Text.percent(figures.hitRatio()),
                      times.map(t -> Text.nanos((long) t.direct())).orElse(NONE),
                      times.map(t -> Text.nanos((long) t.hit())).orElse(NONE),
                      times.map(t -> Text.nanos((long) t.miss())).orElse(NONE),
                      times.map(t -> Text.times(t.missPenalty())).orElse(NONE),
                      times
                          .map(t -> t.ratio() > 1 ? "never" : Text.percent(t.ratio()))
                          .orElse(NONE),
                      verdict(directly, figures)));
            });
    return table.lines(indent);
  }

  /** From means over the same stream of requests: what a miss costs and a hit saves is in them. */
  private static String verdict(QueryFigures direct, QueryFigures kept) {
    if (direct.reads() < FEWEST_READS || kept.reads() < FEWEST_READS) {
      return "too few reads to tell";
    }
    if (kept.hits().getTotalCount() == 0) {
      return "never read again: nothing gained";
    }
    double gain = direct.meanNanos() / kept.meanNanos();
    return gain > 1
        ? "keep it: " + Text.times(gain) + " on average"
        : "this one loses: read it directly";
  }

  /** From medians; empty unless there are reads of each kind. */
  private static Optional<BreakEven> breakEven(QueryFigures direct, QueryFigures kept) {
    boolean enough =
        Math.min(
                direct.others().getTotalCount(),
                Math.min(kept.hits().getTotalCount(), kept.others().getTotalCount()))
            >= FEWEST_READS;
    return enough
        ? Optional.of(
            new BreakEven(
                direct.others().getValueAtPercentile(50),
                kept.hits().getValueAtPercentile(50),
                kept.others().getValueAtPercentile(50)))
        : Optional.empty();
  }

  /** What was run, so that anybody can run it again. */
  List<String> conditions(String indent) {
    Meters.Snapshot meters = result.meters();
    return List.of(
        indent
            + String.format(
                Locale.ROOT,
                "%s, %,d bookings; %d readers; %,d commits in %.1f s; seed %d; %d processors",
                result.company().database(),
                result.company().bookings(),
                result.settings().readers(),
                result.commits(),
                result.took().toMillis() / 1e3,
                result.settings().seed(),
                Runtime.getRuntime().availableProcessors()),
        indent
            + String.format(
                Locale.ROOT,
                "%s: %,d lookups, %,d hits, %,d misses (%,d joined), %,d fills, %,d invalidated,"
                    + " %,d wasted, %,d bypassed",
                result.ways().get(result.ways().size() - 1).way(),
                meters.lookups(),
                meters.hits(),
                meters.misses(),
                meters.joined(),
                meters.fills(),
                meters.invalidated(),
                meters.wasted(),
                meters.bypassed()),
        indent
            + String.format(
                Locale.ROOT,
                "a hit in the shelf takes %s at the median, a load %s",
                median(meters.hitLatency()),
                median(meters.loadLatency())));
  }

  /** The whole result as JSON fields; times in nanoseconds. */
  Map<String, @Nullable Object> fields() {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("database", result.company().database());
    fields.put("bookings", result.company().bookings());
    fields.put("processors", Runtime.getRuntime().availableProcessors());
    fields.put("readers", result.settings().readers());
    fields.put("seed", result.settings().seed());
    fields.put("writesPerSecond", result.settings().writesPerSecond());
    fields.put("commits", result.commits());
    fields.put("tookNanos", result.took().toNanos());
    fields.put("ways", result.ways().stream().map(this::fields).toList());
    fields.put("faults", result.faults());
    return fields;
  }

  private Map<String, @Nullable Object> fields(Figures figures) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("way", figures.way());
    fields.put("reads", figures.reads());
    fields.put("tookNanos", figures.time().toNanos());
    fields.put(
        "hitRatio", figures.hitRatio().isPresent() ? figures.hitRatio().getAsDouble() : null);
    fields.put("latencyNanos", percentiles(figures.latency()));
    fields.put("databaseReads", figures.ownDatabaseReads());
    fields.put(
        "databaseReadsCountedByDatabase",
        figures.countedDatabaseReads().isPresent()
            ? figures.countedDatabaseReads().getAsLong()
            : null);
    fields.put("staleLate", figures.late());
    fields.put("staleNever", figures.never());
    fields.put("stalenessNanos", figures.stale() == 0 ? null : percentiles(figures.staleness()));
    Map<String, Object> queries = new LinkedHashMap<>();
    figures.queries().forEach((query, each) -> queries.put(query, fields(each)));
    fields.put("queries", queries);
    return fields;
  }

  private static Map<String, @Nullable Object> fields(QueryFigures figures) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("reads", figures.reads());
    fields.put("hitRatio", figures.hitRatio());
    fields.put(
        "hitNanos", figures.hits().getTotalCount() == 0 ? null : percentiles(figures.hits()));
    fields.put(
        "databaseReadNanos",
        figures.others().getTotalCount() == 0 ? null : percentiles(figures.others()));
    return fields;
  }

  private static Map<String, Long> percentiles(Histogram histogram) {
    Map<String, Long> percentiles = new LinkedHashMap<>();
    percentiles.put("p50", histogram.getValueAtPercentile(50));
    percentiles.put("p95", histogram.getValueAtPercentile(95));
    percentiles.put("p99", histogram.getValueAtPercentile(99));
    percentiles.put("max", histogram.getMaxValue());
    return percentiles;
  }

  private void measure(
      TextTable table, String name, Function<Figures, String> figure, String remark) {
    List<String> cells = new ArrayList<>(List.of(name));
    result.ways().forEach(way -> cells.add(figure.apply(way)));
    cells.add(remark);
    table.row(cells);
  }

  /** How many times as many reads the last way did as the first. */
  private String factor() {
    double direct = result.ways().get(0).readsPerSecond();
    double kept = result.ways().get(result.ways().size() - 1).readsPerSecond();
    return direct == 0 ? "" : Text.times(kept / direct);
  }

  private static String median(Histogram histogram) {
    return histogram.getTotalCount() == 0 ? NONE : Text.nanos(histogram.getValueAtPercentile(50));
  }

  private static String latency(Figures figures, double percentile) {
    return figures.reads() == 0
        ? NONE
        : Text.nanos(figures.latency().getValueAtPercentile(percentile));
  }

  private static String staleness(Figures figures, double percentile) {
    return figures.stale() == 0
        ? NONE
        : Text.nanos(figures.staleness().getValueAtPercentile(percentile));
  }
}
