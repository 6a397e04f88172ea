package dev.warmshelf.cli.report;

import static org.assertj.core.api.Assertions.assertThat;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import dev.warmshelf.cli.measure.Comparison;
import dev.warmshelf.cli.measure.Facts;
import dev.warmshelf.cli.measure.Figures;
import dev.warmshelf.cli.measure.QueryFigures;
import dev.warmshelf.cli.measure.Result;
import dev.warmshelf.cli.measure.WayKind;
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

  private static Result result(int reads) {
    return new Result(
        "a <b> workload",
        new Facts("PostgreSQL 17", 1_000, Map.of()),
        new Comparison.Settings(
            EnumSet.of(WayKind.ANSWERS),
            Duration.ZERO,
            Duration.ofSeconds(1),
            1,
            0,
            0,
            Duration.ofSeconds(5),
            1),
        "as fast as they can",
        false,
        Duration.ZERO,
        Duration.ofSeconds(reads),
        List.of(),
        "digest",
        List.of(figures(WayKind.DIRECT, reads), figures(WayKind.ANSWERS, reads)),
        Map.of(),
        Map.of(),
        Map.of());
  }

  private static Figures figures(WayKind way, int reads) {
    Histogram latency = new Histogram(3);
    Histogram staleness = new Histogram(3);
    for (int i = 0; i < reads; i++) {
      latency.recordValue(28_151_646_817L);
      staleness.recordValue(28_151_646_817L);
    }
    return new Figures(
        way.label(),
        latency,
        Duration.ofSeconds(reads),
        0,
        way == WayKind.DIRECT ? 0 : reads,
        reads,
        Optional.empty(),
        reads,
        0,
        staleness,
        new Histogram(3),
        0,
        reads == 0 ? Map.of() : Map.of("query", new QueryFigures()),
        List.of(),
        Optional.empty());
  }
}
