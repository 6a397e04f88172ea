package dev.warmshelf.measure.report;

import dev.warmshelf.study.Findings;
import dev.warmshelf.study.KeyAdvice;
import java.io.IOException;
import java.nio.file.Path;
import java.util.List;

/**
 * What a recording says as one HTML page, and its plots as pictures.
 *
 * <p>Plots are drawn without a screen; only the fonts of the machine are asked for.
 */
public final class StudyPage implements DrawnPage {
  private final Findings findings;
  private final StudyReport tables;
  private final List<Drawing> plots;

  /**
   * Draws the plots.
   *
   * @param most how many statements to show
   */
  public StudyPage(Findings findings, int most) {
    this.findings = findings;
    this.tables = new StudyReport(findings, most);
    this.plots = new ForecastPlots(findings).all();
  }

  /** The names of the files that {@link #writePlots} writes. */
  public static List<String> plotFiles() {
    return ForecastPlots.NAMES.stream().map(name -> name + ".png").toList();
  }

  @Override
  public void writePage(Path file) throws IOException {
    String title = "Studied: what a program asks";
    StringBuilder body = new StringBuilder("<h1>" + title + "</h1>\n");
    tables
        .headlines()
        .forEach(line -> body.append("<p>").append(Html.escaped(line)).append(".</p>\n"));
    body.append("<h2>What repeats</h2>\n");
    body.append(Html.table("Each statement", StudyReport.repeatsHead(), tables.repeatsRows()));
    body.append("<h2>Which keys are wrong</h2>\n");
    if (findings.advice().isEmpty()) {
      body.append("<p>Nothing was found that splits them for nothing, or mixes answers.</p>\n");
    }
    for (KeyAdvice each : findings.advice()) {
      body.append("<pre>").append(Html.escaped(each.statement().text().strip()));
      body.append("</pre><p class=\"wrong\">").append(Html.escaped(each.evidence()));
      body.append(".</p><p>").append(Html.escaped(each.remedy())).append(".</p>\n");
    }
    body.append("<h2>Kept until something changes</h2>\n");
    body.append(Html.table("By what puts it out", StudyReport.changesHead(), tables.changesRows()));
    body.append("<h2>How much memory, or for how long</h2>\n<section class=\"plots\">");
    body.append(Drawing.figures(plots)).append("</section>\n");
    Html.write(file, title, body.toString());
  }

  @Override
  public List<Path> writePlots(Path directory) throws IOException {
    return Drawing.writePngs(plots, directory);
  }
}
