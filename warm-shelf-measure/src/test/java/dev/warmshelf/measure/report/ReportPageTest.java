package dev.warmshelf.measure.report;

import static org.assertj.core.api.Assertions.assertThat;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import dev.warmshelf.measure.figures.Result;
import java.nio.file.Files;
import java.nio.file.Path;
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
    assertThat(page(SampleResult.of(1, 0))).contains("not measured").doesNotContain("none missed");
    assertThat(page(SampleResult.of(1, 1))).contains("Of the 1 reads none missed");
    assertThat(new ComparisonFields(SampleResult.of(1, 0)).csv()).contains(",0,,");
    assertThat(new ComparisonReport(SampleResult.of(1, 0)).lines(""))
        .anyMatch(line -> line.matches("  stale, never invalidated +– +–"));
  }

  @Test
  void aQueryThatNobodyCameToAskIsListed() {
    Result result = result(1);
    assertThat(result.queries()).containsExactly("query", SampleResult.RARE);
    assertThat(new ComparisonReport(result).queryLines(""))
        .anyMatch(line -> line.matches("rare +0 +– .*"))
        .anyMatch(line -> line.matches("rare +not kept: a clock decides"));
    assertThat(new ComparisonFields(result).all().get("queries").toString())
        .contains("rare={")
        .contains("notKept=a clock decides");
  }

  private static Result result(int reads) {
    return SampleResult.of(reads, reads);
  }
}
