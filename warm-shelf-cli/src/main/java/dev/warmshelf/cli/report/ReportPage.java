package dev.warmshelf.cli.report;

import dev.warmshelf.cli.measure.Figures;
import dev.warmshelf.cli.measure.Result;
import dev.warmshelf.cli.text.Text;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * A comparison as one HTML page that needs nothing beside it, and its plots as pictures.
 *
 * <p>Plots are drawn without a screen; only the fonts of the machine are asked for.
 */
public final class ReportPage {
  private final Result result;
  private final ComparisonReport tables;
  private final List<Drawing> plots;

  /** Draws the plots. */
  public ReportPage(Result result) {
    this.result = result;
    this.tables = new ComparisonReport(result);
    this.plots = new Plots(result).all();
  }

  /** Writes the page. */
  public void writePage(Path file) throws IOException {
    Map<String, String> parts = new LinkedHashMap<>();
    parts.put("title", Html.escaped("Measured: " + result.workload()));
    parts.put("light", Inks.light());
    parts.put("dark", Inks.dark());
    parts.put("summary", summary());
    parts.put("ways", ways());
    parts.put("figures", figures());
    parts.put("finest", Html.escaped(result.finest().way()));
    parts.put("queries", queries());
    parts.put("conditions", conditions());
    Matcher place = Pattern.compile("\\{\\{(\\w+)}}").matcher(template());
    Files.writeString(
        file,
        place.replaceAll(
            found -> Matcher.quoteReplacement(Objects.requireNonNull(parts.get(found.group(1))))));
  }

  private static String template() throws IOException {
    try (InputStream in = ReportPage.class.getResourceAsStream("page.html")) {
      return new String(
          Objects.requireNonNull(in, "the page is missing from the build").readAllBytes(),
          StandardCharsets.UTF_8);
    }
  }

  /**
   * Writes each plot as a PNG.
   *
   * @return the files
   */
  public List<Path> writePlots(Path directory) throws IOException {
    Files.createDirectories(directory);
    List<Path> files = new ArrayList<>();
    for (Drawing plot : plots) {
      Path file = directory.resolve(plot.name() + ".png");
      plot.writePng(file);
      files.add(file);
    }
    return files;
  }

  private String summary() {
    Figures direct = result.direct();
    Figures finest = result.finest();
    StringBuilder words = new StringBuilder("<p>");
    words.append(
        String.format(
            Locale.ROOT,
            "With <b>%s</b>, the shelf answered %s of its lookups without the database. ",
            Html.escaped(finest.way()),
            Text.percent(finest.hitRatio().orElse(0))));
    if (result.paced()) {
      words.append(
          String.format(
              Locale.ROOT,
              "Asked at the same pace, one read in twenty took longer than %s, against %s directly,"
                  + " and the database was asked %s times a second instead of %s. ",
              Text.nanos(finest.latency().getValueAtPercentile(95)),
              Text.nanos(direct.latency().getValueAtPercentile(95)),
              Text.count(Math.round(finest.databaseReadsPerSecond())),
              Text.count(Math.round(direct.databaseReadsPerSecond()))));
    } else if (direct.readsPerSecond() > 0) {
      words.append(
          String.format(
              Locale.ROOT,
              "Readers got %s as many answers a second as with direct reads. ",
              Text.times(finest.readsPerSecond() / direct.readsPerSecond())));
    }
    words.append(
        String.format(
            Locale.ROOT,
            "Of %s reads %s missed a commit that had returned before they began",
            Text.count(finest.reads()),
            finest.stale() == 0 ? "none" : Text.count(finest.stale())));
    if (finest.stale() > 0) {
      words.append(", by ").append(Text.nanos(finest.staleness().getMaxValue())).append(" at most");
    }
    words.append(
        finest.never() == 0
            ? "; all of those were put out. "
            : "; <span class=\"wrong\">" + finest.never() + " would have stayed wrong</span>. ");
    result
        .ttlAlone()
        .filter(ttl -> ttl.reads() > 0)
        .ifPresent(
            ttl ->
                words.append(
                    String.format(
                        Locale.ROOT,
                        "On a TTL of %d s alone, %s of the reads were stale.",
                        result.settings().ttl().toSeconds(),
                        Text.percent((double) ttl.stale() / ttl.reads()))));
    words.append("</p>");
    result
        .faults()
        .forEach(
            fault ->
                words.append("<p class=\"wrong\">").append(Html.escaped(fault)).append(".</p>"));
    return words.toString().replaceAll("(\\d) (ns|µs|ms|s|%)(?!\\w)", "$1&nbsp;$2");
  }

  private String ways() {
    StringBuilder out = new StringBuilder("<table><thead><tr><th></th>");
    for (int i = 0; i < result.ways().size(); i++) {
      String way = result.ways().get(i).way();
      out.append("<th>").append(key(Inks.of(way))).append(Html.escaped(way));
      out.append("</th>");
    }
    out.append("</tr></thead><tbody>");
    tables.wayRows().forEach(row -> out.append(row(row, List.of())));
    return out.append("</tbody></table>").toString();
  }

  /** A piece of the way's line, as the plots draw it. */
  private static String key(int way) {
    return String.format(
        "<svg class=\"key\" width=\"34\" height=\"6\" aria-hidden=\"true\"><line x1=\"0\" y1=\"3\""
            + " x2=\"34\" y2=\"3\" stroke=\"var(--way-%d)\" stroke-width=\"2.5\""
            + " stroke-dasharray=\"%s\"/></svg>",
        way, Inks.dashes(way));
  }

  private String figures() {
    StringBuilder out = new StringBuilder();
    for (Drawing plot : plots) {
      out.append("<figure><h2>").append(Html.escaped(plot.title())).append("</h2>");
      out.append(plot.svg());
      out.append("<figcaption>").append(Html.escaped(plot.caption()));
      out.append("</figcaption></figure>\n");
    }
    return out.toString();
  }

  private String queries() {
    StringBuilder out = new StringBuilder("<table class=\"queries\"><thead><tr>");
    List<String> head = new ArrayList<>(tables.queriesHead());
    head.set(0, "query");
    head.forEach(cell -> out.append("<th>").append(Html.escaped(cell)).append("</th>"));
    out.append("<th style=\"text-align: left\">verdict</th></tr></thead><tbody>");
    tables
        .queryRows()
        .forEach(row -> out.append(row(row, List.of(result.verdict(row.get(0)).words()))));
    return out.append("</tbody></table>").toString();
  }

  private static String row(List<String> cells, List<String> words) {
    StringBuilder out = new StringBuilder("<tr>");
    for (String cell : cells) {
      String indent = cell.startsWith("  ") ? " style=\"padding-left: 1.2em\"" : "";
      out.append("<td").append(indent).append('>');
      out.append(Html.escaped(cell.strip())).append("</td>");
    }
    for (String text : words) {
      out.append("<td class=\"words\">").append(Html.escaped(text)).append("</td>");
    }
    return out.append("</tr>\n").toString();
  }

  private String conditions() {
    StringBuilder out = new StringBuilder();
    for (String line : tables.conditions("")) {
      out.append("<p class=\"quiet\">").append(Html.escaped(line)).append("</p>");
    }
    return out.toString();
  }
}
