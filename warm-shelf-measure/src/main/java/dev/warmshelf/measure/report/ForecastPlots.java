package dev.warmshelf.measure.report;

import dev.warmshelf.measure.text.Text;
import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.study.Findings;
import dev.warmshelf.study.LifeForecast;
import dev.warmshelf.study.MemoryForecast;
import dev.warmshelf.study.Share;
import java.util.List;
import java.util.Locale;
import java.util.function.Function;
import java.util.stream.Collectors;
import org.jfree.chart.axis.NumberAxis;
import org.jfree.chart.axis.NumberTickUnit;
import org.jfree.data.xy.XYSeries;
import org.jfree.data.xy.XYSeriesCollection;

/** The plots of a study. */
final class ForecastPlots {
  /** Of the plots, in their order. */
  static final List<String> NAMES = List.of("hits-by-memory", "saved-by-memory", "by-time-to-live");

  /** Of the first choice of what leaves first, the inks; the others follow. */
  private static final int FIRST_INKS = 1;

  private final Findings findings;
  private final List<Leaving> choices;

  ForecastPlots(Findings findings) {
    this.findings = findings;
    this.choices = findings.memory().stream().map(MemoryForecast::leaving).distinct().toList();
  }

  List<Drawing> all() {
    return List.of(
        byMemory(0, "Hits by memory", "of the questions, %", MemoryForecast::hits),
        byMemory(1, "Time saved by memory", "of the database's time, %", MemoryForecast::saved),
        byLife());
  }

  private Drawing byMemory(
      int name, String title, String axis, Function<MemoryForecast, Share> share) {
    XYSeriesCollection data = new XYSeriesCollection();
    for (Leaving choice : choices) {
      XYSeries series = new XYSeries(StudyReport.inWords(choice));
      of(choice).forEach(each -> series.add((double) each.bytes(), percent(share.apply(each))));
      data.addSeries(series);
    }
    return new Drawing(
        NAMES.get(name),
        title,
        "A line for each choice of what leaves first where room is short, with answers that are put"
            + " out as they change. "
            + error(findings.memory().stream().map(share).toList()),
        choices.stream()
            .map(
                choice ->
                    StudyReport.inWords(choice)
                        + ": "
                        + of(choice).stream()
                            .map(
                                each ->
                                    Text.percent(share.apply(each).ratio())
                                        + " in "
                                        + Text.bytes(each.bytes()))
                            .collect(Collectors.joining(", ")))
            .collect(Collectors.joining("; ", "", ".")),
        Charts.chart(
            Charts.lines(
                data,
                AxisTicks.logarithmic("room", 4, AxisTicks.BYTES),
                percents(axis),
                true,
                i -> FIRST_INKS + i),
            true));
  }

  private List<MemoryForecast> of(Leaving choice) {
    return findings.memory().stream().filter(each -> each.leaving() == choice).toList();
  }

  private Drawing byLife() {
    XYSeries hits = new XYSeries("hit");
    XYSeries stale = new XYSeries("would get an answer that was not true any more");
    for (LifeForecast each : findings.lives()) {
      hits.add((double) each.life().toNanos(), percent(each.hits()));
      stale.add((double) each.life().toNanos(), percent(each.stale()));
    }
    XYSeriesCollection data = new XYSeriesCollection();
    data.addSeries(hits);
    data.addSeries(stale);
    return new Drawing(
        NAMES.get(2),
        "A time alone",
        "What answers kept for a time would give, with no feed and no bound on memory. "
            + error(findings.lives().stream().map(LifeForecast::hits).toList()),
        findings.lives().stream()
            .map(
                each ->
                    StudyReport.inWords(each.life())
                        + ": "
                        + Text.percent(each.hits().ratio())
                        + " hit, "
                        + Text.percent(each.stale().ratio())
                        + " stale")
            .collect(Collectors.joining("; ", "", ".")),
        Charts.chart(
            Charts.lines(
                data,
                AxisTicks.logarithmic("kept for", 10, AxisTicks.NANOS),
                percents("of the questions, %"),
                true,
                i -> FIRST_INKS + i),
            true));
  }

  private static double percent(Share share) {
    return 100 * share.ratio();
  }

  private static NumberAxis percents(String label) {
    NumberAxis axis = Charts.axis(label);
    axis.setRange(0, 102);
    axis.setTickUnit(new NumberTickUnit(20));
    return axis;
  }

  private static String error(List<Share> shares) {
    double most = shares.stream().mapToDouble(Share::error).max().orElse(0);
    return most == 0
        ? "All keys were looked at."
        : String.format(
            Locale.ROOT,
            "Of a sample of the keys: within %.1f points, in 19 of 20 cases.",
            100 * most);
  }
}
