package dev.warmshelf.measure.report;

import dev.warmshelf.measure.database.DatabaseWork;
import dev.warmshelf.measure.figures.Conditions;
import dev.warmshelf.measure.figures.Figures;
import dev.warmshelf.measure.figures.QueryFacts;
import dev.warmshelf.measure.figures.QueryFigures;
import dev.warmshelf.measure.figures.QueryVerdict;
import dev.warmshelf.measure.figures.Result;
import dev.warmshelf.measure.figures.RunSettings;
import dev.warmshelf.measure.figures.Staleness;
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
          "revived",
          "mended",
          "needless",
          "shared",
          "reads_with_versions",
          "stale_late",
          "stale_never");

  private final Result result;

  /** Of this result. */
  public ComparisonFields(Result result) {
    this.result = result;
  }

  /** The whole result as JSON fields. */
  public Map<String, @Nullable Object> all() {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    putConditions(fields);
    fields.put("commits", result.commits().size());
    fields.put("ways", result.ways().stream().map(way -> fields(way)).toList());
    Map<String, Object> verdicts = new LinkedHashMap<>();
    result.queries().forEach(query -> verdicts.put(query, fields(query, result.verdict(query))));
    fields.put("queries", verdicts);
    fields.put("faults", result.faults());
    fields.put("notes", result.notes());
    return fields;
  }

  private void putConditions(Map<String, @Nullable Object> fields) {
    Conditions conditions = result.conditions();
    RunSettings settings = conditions.settings();
    fields.put("workload", conditions.workload());
    fields.put("database", conditions.database().product());
    fields.put("databaseBytes", conditions.database().bytes());
    fields.put("data", conditions.database().data());
    fields.put("processors", Runtime.getRuntime().availableProcessors());
    fields.put("java", System.getProperty("java.version"));
    fields.put("readers", settings.traffic().readers());
    fields.put("pace", conditions.pace().words());
    fields.put("leftOut", conditions.pace().leftOut());
    fields.put("writesPerSecond", settings.traffic().writesPerSecond());
    fields.put("ttlNanos", settings.ttl().toNanos());
    fields.put("seed", settings.seed());
    fields.put("requestStream", conditions.digest());
    fields.put("warmUpNanos", conditions.warmedUp().toNanos());
    fields.put("tookNanos", conditions.took().toNanos());
  }

  /**
   * A line for each way, its query empty, and one for each query in it; RFC 4180.
   *
   * @throws UncheckedIOException if that failed
   */
  public String csv() {
    StringBuilder out = new StringBuilder();
    CSVFormat format = CSVFormat.RFC4180.builder().setHeader(COLUMNS.toArray(new String[0])).get();
    try (CSVPrinter printer = new CSVPrinter(out, format)) {
      for (Figures way : result.ways()) {
        QueryFigures all = new QueryFigures();
        way.queries().values().forEach(all::add);
        printer.printRecord(line(way.way().label(), "", all, way.bytesHeld()));
        for (Map.Entry<String, QueryFigures> query : way.queries().entrySet()) {
          long bytes = query.getValue().held().bytes();
          printer.printRecord(line(way.way().label(), query.getKey(), query.getValue(), bytes));
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
    line.add(figures.revived());
    line.add(figures.mended());
    line.add(figures.needless());
    line.add(figures.shared());
    line.add(figures.judged());
    boolean judged = figures.judged() > 0;
    line.add(judged ? figures.stale() - figures.never() : null);
    line.add(judged ? figures.never() : null);
    return line;
  }

  private Map<String, @Nullable Object> fields(Figures figures) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("way", figures.way().label());
    fields.put("reads", figures.reads().count());
    fields.put("notAskedInTime", figures.reads().notAsked());
    fields.put("refused", figures.reads().refused());
    fields.put("tookNanos", figures.time().toNanos());
    OptionalDouble ratio = figures.hitRatio();
    boolean keeps = ratio.isPresent();
    fields.put("hitRatio", keeps ? ratio.getAsDouble() : null);
    fields.put("latencyNanos", percentiles(figures.reads().latency()));
    fields.put("savedNanos", keeps ? figures.savedNanos() : null);
    fields.put("memoryBytes", keeps ? figures.bytesHeld() : null);
    fields.put("databaseReads", figures.database().ownCount());
    fields.put(
        "countedByDatabase", figures.database().work().map(ComparisonFields::work).orElse(null));
    putStaleness(fields, figures.staleness());
    fields.put("invalidationLagNanos", percentiles(figures.kept().lags()));
    fields.put("shelf", figures.kept().meters().map(Meters.Snapshot::byName).orElse(null));
    Map<String, Object> queries = new LinkedHashMap<>();
    figures.queries().forEach((query, each) -> queries.put(query, fields(each)));
    fields.put("queries", queries);
    return fields;
  }

  /** What was not measured is null. */
  private static void putStaleness(Map<String, @Nullable Object> fields, Staleness staleness) {
    boolean measured = staleness.isMeasured();
    fields.put("readsWithVersions", staleness.judged());
    fields.put("staleLate", measured ? staleness.late() : null);
    fields.put("staleNever", measured ? staleness.never() : null);
    fields.put("stalenessNanos", percentiles(staleness.ages()));
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

  private static Map<String, @Nullable Object> fields(QueryFigures figures) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("reads", figures.reads());
    fields.put("hitRatio", figures.hitRatio());
    fields.put("hitNanos", percentiles(figures.hits()));
    fields.put("databaseReadNanos", percentiles(figures.others()));
    fields.put("savedNanos", figures.savedNanos());
    fields.put("memoryBytes", figures.held().bytes());
    fields.put("entries", figures.held().entries());
    fields.put("revived", figures.revived());
    fields.put("mended", figures.mended());
    fields.put("needless", figures.needless());
    fields.put("shared", figures.shared());
    fields.put("readsWithVersions", figures.judged());
    fields.put("stale", figures.judged() > 0 ? figures.stale() : null);
    return fields;
  }

  private Map<String, @Nullable Object> fields(String query, QueryVerdict verdict) {
    Optional<BreakEven> times = verdict.breakEven();
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("verdict", verdict.words());
    fields.put("gain", verdict.gain() == 0 ? null : verdict.gain());
    fields.put("missPenalty", times.map(BreakEven::missPenalty).orElse(null));
    fields.put("breakEvenHitRatio", times.map(BreakEven::ratio).orElse(null));
    fields.put(
        "firstCallNanos",
        Optional.ofNullable(result.facts().get(query))
            .map(QueryFacts::firstCallNanos)
            .orElse(null));
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
