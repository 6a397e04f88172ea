package dev.warmshelf.measure.report;

import dev.warmshelf.measure.figures.Figures;
import dev.warmshelf.measure.figures.QueryFigures;
import dev.warmshelf.measure.figures.Result;
import dev.warmshelf.measure.figures.Staleness;
import dev.warmshelf.measure.text.Text;
import java.awt.Paint;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.function.Function;
import java.util.stream.Collectors;
import org.HdrHistogram.Histogram;
import org.HdrHistogram.HistogramIterationValue;
import org.jfree.chart.annotations.XYLineAnnotation;
import org.jfree.chart.annotations.XYTextAnnotation;
import org.jfree.chart.axis.AxisLocation;
import org.jfree.chart.axis.CategoryAxis;
import org.jfree.chart.axis.NumberAxis;
import org.jfree.chart.axis.NumberTickUnit;
import org.jfree.chart.axis.ValueAxis;
import org.jfree.chart.plot.CategoryPlot;
import org.jfree.chart.plot.PlotOrientation;
import org.jfree.chart.plot.XYPlot;
import org.jfree.chart.renderer.category.BarRenderer;
import org.jfree.chart.renderer.category.StandardBarPainter;
import org.jfree.chart.renderer.xy.XYLineAndShapeRenderer;
import org.jfree.chart.ui.TextAnchor;
import org.jfree.data.category.DefaultCategoryDataset;
import org.jfree.data.xy.XYSeries;
import org.jfree.data.xy.XYSeriesCollection;

/** The plots of a comparison. */
final class Plots {
  /** Of the plots, in their order. */
  static final List<String> NAMES =
      List.of("latency", "hit-ratio", "staleness", "database-reads", "time-saved");

  private static final int MOST_COMMITS_DRAWN = 300;
  private static final double STEP_OF_NINES = 0.02;

  private final Result result;

  Plots(Result result) {
    this.result = result;
  }

  List<Drawing> all() {
    return List.of(latency(), hitRatio(), staleness(), databaseReads(), savedAgainstMemory());
  }

  private Drawing latency() {
    XYSeriesCollection data = new XYSeriesCollection();
    for (Figures way : result.ways()) {
      XYSeries series = new XYSeries(way.way().label());
      Histogram latency = way.reads().latency();
      // The last nine drawn is the last that some ten reads stand behind.
      double most = Math.log10(Math.max(10, latency.getTotalCount() / 10.0));
      for (double nines = 0; nines <= most; nines += STEP_OF_NINES) {
        double percentile = 100 * (1 - Math.pow(10, -nines));
        series.add(nines, Math.max(1.0, (double) latency.getValueAtPercentile(percentile)));
      }
      data.addSeries(series);
    }
    NumberAxis share = Charts.axis("share of reads answered within the time");
    share.setTickUnit(new NumberTickUnit(1, AxisTicks.NINES));
    XYPlot plot = lines(data, share, AxisTicks.logarithmic("latency", 10, AxisTicks.NANOS), false);
    return new Drawing(
        NAMES.get(0),
        "Latency",
        "How long reads took, from the quickest at the left to the slowest at the right; each step"
            + " to the right is a tenth of the reads that is left. Both the steps and the times are"
            + " logarithmic."
            + (result.conditions().pace().paced() ? " Each read counts from when it was due." : ""),
        eachWay(
            way -> {
              Histogram latency = way.reads().latency();
              return latency.getTotalCount() == 0
                  ? "no reads"
                  : "half within "
                      + Text.nanos(latency.getValueAtPercentile(50))
                      + ", 99 of 100 within "
                      + Text.nanos(latency.getValueAtPercentile(99));
            }),
        Charts.chart(plot, true));
  }

  private Drawing hitRatio() {
    XYSeriesCollection data = new XYSeriesCollection();
    for (Figures way : result.ways()) {
      XYSeries series = new XYSeries(way.way().label());
      for (Figures.Round slice : way.rounds()) {
        if (slice.lookups() > 0) {
          series.add(
              slice.beganSeconds() + slice.seconds() / 2, 100.0 * slice.hits() / slice.lookups());
        }
      }
      data.addSeries(series);
    }
    NumberAxis ratio = Charts.axis("hit ratio, %");
    ratio.setRange(0, 102);
    ratio.setTickUnit(new NumberTickUnit(20));
    NumberAxis time = Charts.axis("seconds since measuring began");
    time.setRange(0, Math.max(1, result.conditions().took().toMillis() / 1e3));
    XYPlot plot = lines(data, time, ratio, true);
    List<Double> commits = result.commits();
    int step = 1 + commits.size() / MOST_COMMITS_DRAWN;
    for (int i = 0; i < commits.size(); i += step) {
      plot.addAnnotation(
          new XYLineAnnotation(
              commits.get(i), 0, commits.get(i), 3.5, new java.awt.BasicStroke(0.8f), Inks.FAINT));
    }
    return new Drawing(
        NAMES.get(1),
        "Hit ratio over time",
        "One point for each way's round. Each mark on the lower edge is "
            + (step == 1 ? "a commit" : "one commit in " + step)
            + ", which invalidates the answers that it changed.",
        eachWay(
            way ->
                way.hitRatio().isEmpty()
                    ? "nothing kept"
                    : Text.percent(way.hitRatio().getAsDouble())
                        + " of lookups over the whole run"),
        Charts.chart(plot, true));
  }

  private Drawing staleness() {
    XYSeriesCollection data = new XYSeriesCollection();
    for (Figures way : result.ways()) {
      XYSeries series = new XYSeries(way.way().label());
      long older = way.staleness().ages().getTotalCount();
      for (HistogramIterationValue value : way.staleness().ages().recordedValues()) {
        series.add(
            Math.max(1.0, (double) value.getValueIteratedTo()),
            1_000.0 * older / Math.max(1, way.staleness().judged()));
        older -= value.getCountAtValueIteratedTo();
      }
      data.addSeries(series);
    }
    XYPlot plot =
        lines(
            data,
            AxisTicks.logarithmic(
                "age: since the first commit that the read missed", 10, AxisTicks.NANOS),
            AxisTicks.logarithmic("stale reads per 1,000 reads with versions", 10, AxisTicks.PLAIN),
            false);
    return new Drawing(
        NAMES.get(2),
        "Staleness",
        "How many reads missed a commit that had returned this long before they began, or longer. "
            + directStaleness(),
        eachWay(
            way ->
                way.staleness().isMeasured()
                    ? Text.count(way.staleness().stale())
                        + " of "
                        + Text.count(way.staleness().judged())
                        + " reads were stale"
                    : "not measured"),
        Charts.chart(plot, true));
  }

  /** What a plot shows of each way, in words. */
  private String eachWay(Function<Figures, String> words) {
    return result.ways().stream()
        .map(way -> way.way().label() + ": " + words.apply(way))
        .collect(Collectors.joining("; ", "", "."));
  }

  private String savedByQuery() {
    return result.finest().queries().entrySet().stream()
        .map(
            each ->
                each.getKey()
                    + ": "
                    + Text.nanos(Math.max(0, each.getValue().savedNanos()))
                    + " saved, "
                    + Text.bytes(each.getValue().held().bytes())
                    + " held")
        .collect(Collectors.joining("; ", "", "."));
  }

  private String directStaleness() {
    Staleness direct = result.direct().staleness();
    if (!direct.isMeasured()) {
      return "It was not measured: no rows carry versions.";
    }
    return direct.stale() == 0 ? "Direct reads missed none." : "";
  }

  private Drawing databaseReads() {
    DefaultCategoryDataset data = new DefaultCategoryDataset();
    for (Figures way : result.ways()) {
      data.addValue(
          way.databaseReadsPerSecond(),
          "database reads a second",
          String.format(
              Locale.ROOT,
              "%s: %,.0f of %,.0f",
              way.way().label(),
              way.databaseReadsPerSecond(),
              way.readsPerSecond()));
    }
    CategoryPlot plot =
        new CategoryPlot(
            data, waysAxis(), Charts.axis("reads a second that reached the database"), bars());
    plot.setOrientation(PlotOrientation.HORIZONTAL);
    plot.setRangeAxisLocation(AxisLocation.BOTTOM_OR_LEFT);
    plot.setRangeGridlinePaint(Inks.GRID);
    return new Drawing(
        NAMES.get(3),
        "Database reads a second",
        "Beside each bar: how many of the reads asked each second reached the database."
            + (result.conditions().pace().paced()
                ? ""
                : " Readers asked as fast as they were answered, so the quicker ways asked more."),
        eachWay(
            way ->
                String.format(
                    Locale.ROOT,
                    "%,.0f of %,.0f reads a second",
                    way.databaseReadsPerSecond(),
                    way.readsPerSecond())),
        Charts.chart(plot, false));
  }

  private BarRenderer bars() {
    BarRenderer bars =
        new BarRenderer() {
          private static final long serialVersionUID = 1L;

          @Override
          public Paint getItemPaint(int row, int column) {
            return Inks.way(inks(column));
          }
        };
    bars.setBarPainter(new StandardBarPainter());
    bars.setShadowVisible(false);
    bars.setMaximumBarWidth(0.12);
    return bars;
  }

  private static CategoryAxis waysAxis() {
    CategoryAxis ways = new CategoryAxis();
    ways.setTickLabelFont(AxisTicks.LABEL);
    ways.setTickLabelPaint(Inks.TEXT);
    ways.setAxisLineVisible(false);
    ways.setTickMarksVisible(false);
    ways.setMaximumCategoryLabelWidthRatio(0.6f);
    return ways;
  }

  private Drawing savedAgainstMemory() {
    XYSeriesCollection data = new XYSeriesCollection();
    XYSeries points = new XYSeries("queries");
    XYPlot plot =
        lines(
            data,
            AxisTicks.logarithmic("memory held at the end", 8, AxisTicks.BYTES),
            AxisTicks.logarithmic("time saved for each second of the run", 10, AxisTicks.NANOS),
            true);
    List<String> missing = new ArrayList<>();
    double seconds = Math.max(1e-9, result.finest().time().toNanos() / 1e9);
    for (Map.Entry<String, QueryFigures> each : result.finest().queries().entrySet()) {
      QueryFigures figures = each.getValue();
      double saved = figures.savedNanos() / seconds;
      if (saved < 1 || figures.held().bytes() == 0) {
        missing.add(each.getKey());
        continue;
      }
      points.add((double) figures.held().bytes(), saved);
      plot.addAnnotation(label(each.getKey(), (double) figures.held().bytes(), saved));
    }
    data.addSeries(points);
    asPoints(plot);
    plot.getDomainAxis().setUpperMargin(0.25);
    return new Drawing(
        NAMES.get(4),
        "Time saved against memory",
        "The queries in "
            + result.finest().way().label()
            + ": up is more time saved, left is less memory held."
            + (missing.isEmpty()
                ? ""
                : " Not drawn, since they save nothing or hold nothing at the end: "
                    + String.join(", ", missing)
                    + "."),
        savedByQuery(),
        Charts.chart(plot, false));
  }

  private static XYTextAnnotation label(String query, double bytes, double saved) {
    XYTextAnnotation label = new XYTextAnnotation("  " + query, bytes, saved);
    label.setFont(AxisTicks.LABEL);
    label.setPaint(Inks.TEXT);
    label.setTextAnchor(TextAnchor.CENTER_LEFT);
    return label;
  }

  private void asPoints(XYPlot plot) {
    XYLineAndShapeRenderer renderer = (XYLineAndShapeRenderer) plot.getRenderer();
    int finest = inks(result.ways().size() - 1);
    renderer.setSeriesLinesVisible(0, false);
    renderer.setSeriesPaint(0, Inks.way(finest));
    renderer.setSeriesShape(0, Inks.mark(finest));
  }

  /** Which inks the way at this place has. */
  private int inks(int place) {
    return Inks.of(result.ways().get(place).way());
  }

  private XYPlot lines(XYSeriesCollection data, ValueAxis across, ValueAxis up, boolean marks) {
    return Charts.lines(data, across, up, marks, this::inks);
  }
}
