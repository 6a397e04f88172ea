package dev.warmshelf.measure.report;

import dev.warmshelf.measure.figures.Figures;
import dev.warmshelf.measure.figures.Result;
import dev.warmshelf.measure.figures.Staleness;
import dev.warmshelf.measure.text.Text;
import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;

/**
 * A comparison as one HTML page that needs nothing beside it, and its plots as pictures.
 *
 * <p>Plots are drawn without a screen; only the fonts of the machine are asked for.
 */
public final class ReportPage implements DrawnPage {
  private final Result result;
  private final ComparisonReport tables;
  private final List<Drawing> plots;

  /** Draws the plots. */
  public ReportPage(Result result) {
    this.result = result;
    this.tables = new ComparisonReport(result);
    this.plots = new Plots(result).all();
  }

  @Override
  public void writePage(Path file) throws IOException {
    Map<String, String> parts = new LinkedHashMap<>();
    parts.put("title", Html.escaped("Measured: " + result.conditions().workload()));
    parts.put("summary", summary());
    parts.put("ways", ways());
    parts.put("figures", Drawing.figures(plots));
    parts.put("finest", Html.escaped(result.finest().way().label()));
    parts.put("queries", queries());
    parts.put("conditions", conditions());
    String title = "Measured: " + result.conditions().workload();
    Html.write(file, title, Html.filled("comparison.html", parts));
  }

  /** The names of the files that {@link #writePlots} writes. */
  public static List<String> plotFiles() {
    return Plots.NAMES.stream().map(name -> name + ".png").toList();
  }

  @Override
  public List<Path> writePlots(Path directory) throws IOException {
    return Drawing.writePngs(plots, directory);
  }

  private String summary() {
    String words = "<p>" + hits() + pace() + staleness() + ttlAlone() + "</p>";
    StringBuilder out = new StringBuilder(words);
    for (String fault : result.faults()) {
      out.append("<p class=\"wrong\">").append(Html.escaped(fault)).append(".</p>");
    }
    return Html.bound(out.toString());
  }

  private String hits() {
    Figures finest = result.finest();
    return finest.hitRatio().isEmpty()
        ? ""
        : String.format(
            Locale.ROOT,
            "With <b>%s</b>, the shelf answered %s of its lookups without the database. ",
            Html.escaped(finest.way().label()),
            Text.percent(finest.hitRatio().getAsDouble()));
  }

  private String pace() {
    Figures direct = result.direct();
    Figures finest = result.finest();
    if (result.conditions().pace().paced()) {
      return String.format(
          Locale.ROOT,
          "Asked at the same pace, one read in twenty took longer than %s, against %s directly,"
              + " and the database was asked %s times a second instead of %s. ",
          Text.nanos(finest.reads().latency().getValueAtPercentile(95)),
          Text.nanos(direct.reads().latency().getValueAtPercentile(95)),
          Text.count(Math.round(finest.databaseReadsPerSecond())),
          Text.count(Math.round(direct.databaseReadsPerSecond())));
    } else if (direct.readsPerSecond() > 0) {
      return String.format(
          Locale.ROOT,
          "Readers got %s as many answers a second as with direct reads. ",
          Text.times(finest.readsPerSecond() / direct.readsPerSecond()));
    }
    return "";
  }

  private String staleness() {
    Staleness finest = result.finest().staleness();
    if (!finest.isMeasured()) {
      return "Whether reads were stale was <b>not measured</b>: no query's rows carry versions. ";
    }
    boolean all = finest.judged() == result.finest().reads().count();
    String missed =
        String.format(
            Locale.ROOT,
            "Of the %s reads%s %s missed a commit that had returned before they began",
            Text.count(finest.judged()),
            all ? "" : " with versions",
            finest.stale() == 0 ? "none" : Text.count(finest.stale()));
    if (finest.stale() == 0) {
      return missed + ". ";
    }
    String byAtMost = ", by " + Text.nanos(finest.ages().getMaxValue()) + " at most; ";
    return missed
        + byAtMost
        + (finest.never() == 0
            ? "all of those answers were invalidated. "
            : "<span class=\"wrong\">" + finest.never() + " would have stayed wrong</span>. ");
  }

  private String ttlAlone() {
    return result
        .ttlAlone()
        .filter(ttl -> ttl.staleness().isMeasured())
        .map(
            ttl ->
                String.format(
                    Locale.ROOT,
                    "On a TTL of %d s alone, %s of the reads were stale.",
                    result.conditions().settings().ttl().toSeconds(),
                    Text.percent((double) ttl.staleness().stale() / ttl.staleness().judged())))
        .orElse("");
  }

  private String ways() {
    StringBuilder out =
        new StringBuilder("<table><caption>Each way to read, side by side</caption>");
    out.append("<thead><tr><th scope=\"col\"><span class=\"unseen\">measure</span></th>");
    for (Figures way : result.ways()) {
      out.append("<th scope=\"col\">").append(key(Inks.of(way.way())));
      out.append(Html.escaped(way.way().label())).append("</th>");
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

  private String queries() {
    StringBuilder out =
        new StringBuilder(
            "<table class=\"queries\"><caption>Each query, in "
                + Html.escaped(result.finest().way().label())
                + ", against direct reads</caption><thead><tr>");
    List<String> head = new ArrayList<>(tables.queriesHead());
    head.set(0, "query");
    head.forEach(
        cell -> out.append("<th scope=\"col\">").append(Html.escaped(cell)).append("</th>"));
    out.append("<th scope=\"col\" style=\"text-align: left\">verdict</th></tr></thead><tbody>");
    tables
        .queryRows()
        .forEach(row -> out.append(row(row, List.of(result.verdict(row.get(0)).words()))));
    return out.append("</tbody></table>").toString();
  }

  private static String row(List<String> cells, List<String> words) {
    StringBuilder out = new StringBuilder("<tr>");
    String indent = cells.get(0).startsWith("  ") ? " class=\"part\"" : "";
    out.append("<th scope=\"row\"").append(indent).append('>');
    out.append(Html.escaped(cells.get(0).strip())).append("</th>");
    for (String cell : cells.subList(1, cells.size())) {
      out.append("<td>").append(Html.escaped(cell)).append("</td>");
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
