package dev.warmshelf.measure.report;

import static org.assertj.core.api.Assertions.assertThat;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import dev.warmshelf.measure.database.DatabaseFacts;
import dev.warmshelf.measure.figures.Conditions;
import dev.warmshelf.measure.figures.DatabaseReads;
import dev.warmshelf.measure.figures.Figures;
import dev.warmshelf.measure.figures.Kept;
import dev.warmshelf.measure.figures.Pace;
import dev.warmshelf.measure.figures.QueryFigures;
import dev.warmshelf.measure.figures.Reads;
import dev.warmshelf.measure.figures.Result;
import dev.warmshelf.measure.figures.RunSettings;
import dev.warmshelf.measure.figures.Staleness;
import dev.warmshelf.measure.figures.Traffic;
import dev.warmshelf.measure.figures.WayKind;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.EnumSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.HdrHistogram.Histogram;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Runs that hardly measured anything have pages, too. */
class ReportPageTest {
  @TempDir private Path directory;

  @Test
  void aRunThatMeasuredNothingHasAPage() throws Exception {
    assumeTrue(MachineFonts.present(), "plots need fonts");
    assertThat(page(result(0)))
        .contains("Measured: a &lt;b&gt; workload")
        .doesNotContain("NaN", "Infinity", "{{");
  }

  @Test
  void aRunOfOneReadHasAPage() throws Exception {
    assumeTrue(MachineFonts.present(), "plots need fonts");
    assertThat(page(result(1))).doesNotContain("NaN", "{{").contains("too few");
  }

  private String page(Result result) throws Exception {
    Path file = directory.resolve("page.html");
    ReportPage page = new ReportPage(result);
    page.writePage(file);
    assertThat(page.writePlots(directory.resolve("plots"))).hasSize(5);
    return Files.readString(file);
  }

  @Test
  void whatWasNotMeasuredIsNotSaidToBeNone() throws Exception {
    assumeTrue(MachineFonts.present(), "plots need fonts");
    assertThat(page(result(1, 0))).contains("not measured").doesNotContain("none missed");
    assertThat(page(result(1, 1))).contains("Of the 1 reads none missed");
    assertThat(new ComparisonFields(result(1, 0)).csv()).contains(",0,,");
    assertThat(new ComparisonReport(result(1, 0)).lines(""))
        .anyMatch(line -> line.matches("  stale, never invalidated +– +–"));
  }

  private static Result result(int reads) {
    return result(reads, reads);
  }

  private static Result result(int reads, int judged) {
    RunSettings settings =
        new RunSettings(
            EnumSet.of(WayKind.ANSWERS),
            Duration.ZERO,
            Duration.ofSeconds(1),
            new Traffic(1, 0, 0),
            Duration.ofSeconds(5),
            1);
    return new Result(
        new Conditions(
            "a <b> workload",
            new DatabaseFacts("PostgreSQL 17", 1_000, Map.of()),
            settings,
            Pace.UNPACED,
            "digest",
            Duration.ZERO,
            Duration.ofSeconds(reads)),
        List.of(),
        List.of(figures(WayKind.DIRECT, reads, judged), figures(WayKind.ANSWERS, reads, judged)),
        Map.of(),
        Optional.empty());
  }

  private static Figures figures(WayKind way, int reads, int judged) {
    Histogram latency = new Histogram(3);
    QueryFigures query = new QueryFigures();
    for (int i = 0; i < reads; i++) {
      latency.recordValue(28_151_646_817L);
    }
    for (int i = 0; i < judged; i++) {
      query.addJudged();
    }
    return new Figures(
        way,
        new Reads(latency, 0, way == WayKind.DIRECT ? 0 : reads, 0),
        new DatabaseReads(reads, Optional.empty()),
        new Staleness(judged, 0, 0, new Histogram(3)),
        new Kept(Optional.empty(), new Histogram(3)),
        reads == 0 ? Map.of() : Map.of("query", query),
        reads == 0 ? List.of() : List.of(new Figures.Round(0, reads, reads, 0, reads, 0)));
  }
}
