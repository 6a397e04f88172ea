package dev.warmshelf.cli.report;

import dev.warmshelf.cli.measure.DatabaseWork;
import dev.warmshelf.cli.measure.Figures;
import dev.warmshelf.cli.measure.QueryFigures;
import dev.warmshelf.cli.measure.QueryVerdict;
import dev.warmshelf.cli.measure.Result;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.trial.BreakEven;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import org.HdrHistogram.Histogram;
import org.apache.commons.csv.CSVFormat;
import org.apache.commons.csv.CSVPrinter;
import org.jspecify.annotations.Nullable;

/** A comparison for programs. Times are in nanoseconds, memory in bytes, ratios from 0 to 1. */
public final class ComparisonFields {
  private static final List<String> COLUMNS =
      List.of(
          "way",
          "query",
          "reads",
          "hits",
          "hit_ratio",
          "hit_p50_nanos",
          "hit_p99_nanos",
          "database_read_p50_nanos",
          "database_read_p99_nanos",
          "mean_nanos",
          "saved_nanos",
          "memory_bytes",
          "stale_late",
          "stale_never");

  private final Result result;

  public ComparisonFields(Result result) {
    this.result = result;
  }

  /** The whole result as JSON fields. */
  public Map<String, @Nullable Object> all() {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("workload", result.workload());
    fields.put("database", result.facts().product());
    fields.put("databaseBytes", result.facts().bytes());
    fields.put("data", result.facts().data());
    fields.put("processors", Runtime.getRuntime().availableProcessors());
    fields.put("java", System.getProperty("java.version"));
    fields.put("readers", result.settings().readers());
    fields.put("pace", result.pace());
    fields.put("writesPerSecond", result.settings().writesPerSecond());
    fields.put("ttlNanos", result.settings().ttl().toNanos());
    fields.put("seed", result.settings().seed());
    fields.put("requestStream", result.digest());
    fields.put("warmUpNanos", result.warmedUp().toNanos());
    fields.put("tookNanos", result.took().toNanos());
    fields.put("commits", result.commits().size());
    fields.put("ways", result.ways().stream().map(way -> fields(way)).toList());
    Map<String, Object> verdicts = new LinkedHashMap<>();
    result
        .finest()
        .queries()
        .keySet()
        .forEach(query -> verdicts.put(query, fields(query, result.verdict(query))));
    fields.put("queries", verdicts);
    fields.put("faults", result.faults());
    return fields;
  }

  /** A line for each way, its query empty, and one for each query in it; RFC 4180. */
  public String csv() {
    StringBuilder out = new StringBuilder();
    CSVFormat format = CSVFormat.RFC4180.builder().setHeader(COLUMNS.toArray(new String[0])).get();
    try (CSVPrinter printer = new CSVPrinter(out, format)) {
      for (Figures way : result.ways()) {
        QueryFigures all = new QueryFigures();
        way.queries().values().forEach(all::add);
        printer.printRecord(line(way.way(), "", all, way.bytesHeld()));
        for (Map.Entry<String, QueryFigures> query : way.queries().entrySet()) {
          long bytes = query.getValue().held().bytes();
          printer.printRecord(line(way.way(), query.getKey(), query.getValue(), bytes));
        }
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    return out.toString();
  }

  private static List<@Nullable Object> line(
      String way, String query, QueryFigures figures, long bytes) {
    List<@Nullable Object> line = new ArrayList<>();
    line.add(way);
    line.add(query);
    line.add(figures.reads());
    line.add(figures.hits().getTotalCount());
    line.add(figures.hitRatio());
    line.add(percentile(figures.hits(), 50));
    line.add(percentile(figures.hits(), 99));
    line.add(percentile(figures.others(), 50));
    line.add(percentile(figures.others(), 99));
    line.add(Math.round(figures.meanNanos()));
    line.add(figures.savedNanos());
    line.add(bytes);
    line.add(figures.stale() - figures.never());
    line.add(figures.never());
    return line;
  }

  private Map<String, @Nullable Object> fields(Figures figures) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("way", figures.way());
    fields.put("reads", figures.reads());
    fields.put("notAskedInTime", figures.notAsked());
    fields.put("tookNanos", figures.time().toNanos());
    OptionalDouble ratio = figures.hitRatio();
    fields.put("hitRatio", ratio.isPresent() ? ratio.getAsDouble() : null);
    fields.put("latencyNanos", percentiles(figures.latency()));
    fields.put("savedNanos", figures.savedNanos());
    fields.put("memoryBytes", figures.bytesHeld());
    fields.put("databaseReads", figures.ownDatabaseReads());
    fields.put("countedByDatabase", figures.work().map(ComparisonFields::work).orElse(null));
    fields.put("staleLate", figures.late());
    fields.put("staleNever", figures.never());
    fields.put("stalenessNanos", figures.stale() == 0 ? null : percentiles(figures.staleness()));
    fields.put("invalidationLagNanos", percentiles(figures.lags()));
    fields.put("shelf", figures.meters().map(ComparisonFields::counts).orElse(null));
    Map<String, Object> queries = new LinkedHashMap<>();
    figures.queries().forEach((query, each) -> queries.put(query, fields(each)));
    fields.put("queries", queries);
    return fields;
  }

  private static Map<String, Long> work(DatabaseWork.Done done) {
    Map<String, Long> fields = new LinkedHashMap<>();
    fields.put("calls", done.calls());
    fields.put("rows", done.rows());
    fields.put("nanos", done.nanos());
    fields.put("blocksFound", done.buffersFound());
    fields.put("blocksRead", done.buffersRead());
    return fields;
  }

  private static Map<String, Long> counts(Meters.Snapshot meters) {
    Map<String, Long> fields = new LinkedHashMap<>();
    fields.put("lookups", meters.lookups());
    fields.put("hits", meters.hits());
    fields.put("misses", meters.misses());
    fields.put("joined", meters.joined());
    fields.put("bypassed", meters.bypassed());
    fields.put("fills", meters.fills());
    fields.put("wasted", meters.wasted());
    fields.put("invalidated", meters.invalidated());
    fields.put("needless", meters.needless());
    fields.put("expired", meters.expired());
    fields.put("evicted", meters.evicted());
    fields.put("outAtBirth", meters.outAtBirth());
    return fields;
  }

  private static Map<String, @Nullable Object> fields(QueryFigures figures) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("reads", figures.reads());
    fields.put("hitRatio", figures.hitRatio());
    fields.put("hitNanos", percentiles(figures.hits()));
    fields.put("databaseReadNanos", percentiles(figures.others()));
    fields.put("savedNanos", figures.savedNanos());
    fields.put("memoryBytes", figures.held().bytes());
    fields.put("entries", figures.held().entries());
    fields.put("stale", figures.stale());
    return fields;
  }

  private Map<String, @Nullable Object> fields(String query, QueryVerdict verdict) {
    Optional<BreakEven> times = verdict.breakEven();
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("verdict", verdict.words());
    fields.put("gain", verdict.gain() == 0 ? null : verdict.gain());
    fields.put("missPenalty", times.map(BreakEven::missPenalty).orElse(null));
    fields.put("breakEvenHitRatio", times.map(BreakEven::ratio).orElse(null));
    fields.put("firstCallNanos", result.firstCalls().get(query));
    fields.put("index", verdict.index().orElse(null));
    fields.put("notKept", verdict.refusal().orElse(null));
    return fields;
  }

  private static @Nullable Map<String, Long> percentiles(Histogram histogram) {
    if (histogram.getTotalCount() == 0) {
      return null;
    }
    Map<String, Long> percentiles = new LinkedHashMap<>();
    percentiles.put("p50", histogram.getValueAtPercentile(50));
    percentiles.put("p95", histogram.getValueAtPercentile(95));
    percentiles.put("p99", histogram.getValueAtPercentile(99));
    percentiles.put("max", histogram.getMaxValue());
    return percentiles;
  }

  private static @Nullable Long percentile(Histogram histogram, double percentile) {
    return histogram.getTotalCount() == 0 ? null : histogram.getValueAtPercentile(percentile);
  }
}
