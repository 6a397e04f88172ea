package dev.warmshelf.measure.report;

import dev.warmshelf.measure.database.DatabaseFacts;
import dev.warmshelf.measure.database.DatabaseWork;
import dev.warmshelf.measure.figures.Conditions;
import dev.warmshelf.measure.figures.DatabaseReads;
import dev.warmshelf.measure.figures.Figures;
import dev.warmshelf.measure.figures.Kept;
import dev.warmshelf.measure.figures.Pace;
import dev.warmshelf.measure.figures.QueryFacts;
import dev.warmshelf.measure.figures.QueryFigures;
import dev.warmshelf.measure.figures.Reads;
import dev.warmshelf.measure.figures.Result;
import dev.warmshelf.measure.figures.RunSettings;
import dev.warmshelf.measure.figures.Staleness;
import dev.warmshelf.measure.figures.Traffic;
import dev.warmshelf.measure.figures.WayKind;
import dev.warmshelf.meter.Meters;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.HdrHistogram.Histogram;

/** A made-up result of two ways and one query. */
final class SampleResult {
  /** A query that nobody came to ask. */
  static final String RARE = "rare";

  private SampleResult() {}

  /**
   * @param reads of each way, each as long as the last
   * @param judged how many of them have versions; of two, one is stale
   */
  static Result of(int reads, int judged) {
    RunSettings settings =
        new RunSettings(
            Set.of(WayKind.ANSWERS),
            Duration.ZERO,
            Duration.ofSeconds(1),
            new Traffic(1, 0, 0),
            Duration.ofSeconds(5),
            1);
    return new Result(
        new Conditions(
            "a <b> workload",
            new DatabaseFacts("PostgreSQL 17", 1_000, Map.of("rows of data", 1L)),
            settings,
            Pace.UNPACED,
            "digest",
            Duration.ZERO,
            Duration.ofSeconds(reads)),
        List.of(),
        List.of(figures(WayKind.DIRECT, reads, judged), figures(WayKind.ANSWERS, reads, judged)),
        Map.of(RARE, new QueryFacts(1_000, Optional.of("a clock decides"), Optional.empty())),
        Optional.empty());
  }

  private static Figures figures(WayKind way, int reads, int judged) {
    Histogram latency = new Histogram(3);
    Histogram ages = new Histogram(3);
    QueryFigures query = new QueryFigures();
    for (int i = 0; i < reads; i++) {
      latency.recordValue(28_151_646_817L);
    }
    for (int i = 0; i < judged; i++) {
      query.addJudged();
    }
    int late = way == WayKind.DIRECT ? 0 : judged / 2;
    ages.recordValueWithCount(28_151_646_817L, late);
    boolean keeps = way != WayKind.DIRECT;
    return new Figures(
        way,
        new Reads(latency, 0, keeps ? reads : 0, 0, 0),
        new DatabaseReads(reads, Optional.of(new DatabaseWork.Done(reads, reads, 1, 1, 1))),
        new Staleness(judged, late, 0, ages),
        new Kept(keeps ? Optional.of(new Meters().snapshot()) : Optional.empty(), ages),
        reads == 0 ? Map.of() : Map.of("query", query),
        reads == 0 ? List.of() : List.of(new Figures.Round(0, reads, reads, 0, reads, 0)));
  }
}
