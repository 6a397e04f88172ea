package dev.warmshelf.measure.report;

import java.util.function.IntUnaryOperator;
import org.jfree.chart.JFreeChart;
import org.jfree.chart.axis.NumberAxis;
import org.jfree.chart.axis.ValueAxis;
import org.jfree.chart.block.BlockBorder;
import org.jfree.chart.plot.Plot;
import org.jfree.chart.plot.XYPlot;
import org.jfree.chart.renderer.xy.XYLineAndShapeRenderer;
import org.jfree.chart.title.LegendTitle;
import org.jfree.chart.ui.HorizontalAlignment;
import org.jfree.chart.ui.RectangleEdge;
import org.jfree.chart.ui.RectangleInsets;
import org.jfree.data.xy.XYSeriesCollection;

/** How all plots look. */
final class Charts {
  private static final int FEW_POINTS = 10;

  private Charts() {}

  /**
   * @param inks of each series, by its place
   */
  static XYPlot lines(
      XYSeriesCollection data,
      ValueAxis across,
      ValueAxis up,
      boolean marks,
      IntUnaryOperator inks) {
    XYLineAndShapeRenderer renderer = new XYLineAndShapeRenderer(true, marks);
    for (int i = 0; i < data.getSeriesCount(); i++) {
      renderer.setSeriesPaint(i, Inks.way(inks.applyAsInt(i)));
      renderer.setSeriesStroke(i, Inks.line(inks.applyAsInt(i)));
      renderer.setSeriesShape(i, Inks.mark(inks.applyAsInt(i)));
      // A line of a few points may be too short to be seen.
      renderer.setSeriesShapesVisible(i, marks || data.getItemCount(i) < FEW_POINTS);
    }
    renderer.setDrawSeriesLineAsPath(true);
    XYPlot plot = new XYPlot(data, across, up, renderer);
    plot.setDomainGridlinePaint(Inks.GRID);
    plot.setRangeGridlinePaint(Inks.GRID);
    plot.setDomainGridlineStroke(new java.awt.BasicStroke(0.8f));
    plot.setRangeGridlineStroke(new java.awt.BasicStroke(0.8f));
    plot.setAxisOffset(RectangleInsets.ZERO_INSETS);
    return plot;
  }

  static NumberAxis axis(String label) {
    NumberAxis axis = new NumberAxis(label);
    AxisTicks.dress(axis);
    return axis;
  }

  static JFreeChart chart(Plot plot, boolean legend) {
    plot.setBackgroundPaint(null);
    plot.setOutlineVisible(false);
    plot.setNoDataMessage("nothing to show");
    plot.setNoDataMessagePaint(Inks.FAINT);
    JFreeChart chart = new JFreeChart(null, AxisTicks.LABEL, plot, false);
    chart.setBackgroundPaint(null);
    chart.setPadding(new RectangleInsets(6, 4, 4, 14));
    if (legend) {
      LegendTitle ways = new LegendTitle(plot);
      ways.setPosition(RectangleEdge.TOP);
      ways.setHorizontalAlignment(HorizontalAlignment.LEFT);
      ways.setItemFont(AxisTicks.LABEL);
      ways.setItemPaint(Inks.TEXT);
      ways.setBackgroundPaint(null);
      ways.setFrame(BlockBorder.NONE);
      chart.addLegend(ways);
    }
    return chart;
  }
}
