package dev.warmshelf.measure.report;

import dev.warmshelf.measure.figures.WayKind;
import java.awt.BasicStroke;
import java.awt.Color;
import java.awt.Polygon;
import java.awt.Shape;
import java.awt.Stroke;
import java.awt.geom.Ellipse2D;
import java.awt.geom.Rectangle2D;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;

/**
 * What plots are drawn with. Each way has a colour, a dash and a mark of its own: the colours can
 * be told apart by the colour-blind (after Okabe and Ito, "Color Universal Design", 2008), dash and
 * mark on a grey print. In the page each colour is a CSS variable, so that it can be another one in
 * the dark.
 */
final class Inks {
  static final Color TEXT = new Color(0x1e2a36);
  static final Color FAINT = new Color(0x6a7684);
  static final Color GRID = new Color(0xd8dde3);

  private static final Color[] WAYS = {
    new Color(0x4a4a4c),
    new Color(0xc8550a),
    new Color(0x3a96d0),
    new Color(0x6b4ba3),
    new Color(0x0b8063),
    new Color(0xb03a76),
    new Color(0x8a6d00),
    new Color(0x7a2f1d),
    new Color(0x2b2f9e)
  };
  private static final String[] WAYS_IN_THE_DARK = {
    "#c9cdd2", "#f2a25c", "#7cc4f0", "#b7a0e8", "#4fd0ab", "#f19cc6", "#e3c94a", "#e08a74",
    "#9aa5ff"
  };
  private static final float[][] DASHES = {
    {}, {7, 3}, {2, 3}, {9, 3, 2, 3}, {}, {12, 3}, {}, {4, 4}, {1, 4}
  };
  private static final float[] WIDTHS = {1.4f, 1.8f, 2f, 1.8f, 2f, 2f, 2.8f, 2.4f, 2.4f};

  private static final int[] PLUS_HEIGHTS = {-1, -1, -4, -4, -1, -1, 1, 1, 4, 4, 1, 1};

  private Inks() {}

  /** The index of a way's inks: always the same for the same way, whichever are compared. */
  static int of(WayKind way) {
    return switch (way) {
      case DIRECT -> 0;
      case TTL -> 1;
      case TABLES -> 2;
      case VALUES -> 3;
      case ANSWERS -> 4;
      case SECOND_LOOK -> 5;
      case MENDED -> 6;
      case OLD -> 7;
      case SHARED -> 8;
    };
  }

  static Color way(int index) {
    return WAYS[index % WAYS.length];
  }

  static Stroke line(int index) {
    float[] dash = DASHES[index % DASHES.length];
    float width = WIDTHS[index % WIDTHS.length];
    return dash.length == 0
        ? new BasicStroke(width, BasicStroke.CAP_ROUND, BasicStroke.JOIN_ROUND)
        : new BasicStroke(width, BasicStroke.CAP_BUTT, BasicStroke.JOIN_ROUND, 1, dash, 0);
  }

  static Shape mark(int index) {
    return switch (index % WAYS.length) {
      case 0 -> new Rectangle2D.Double(-3, -3, 6, 6);
      case 1 -> new Polygon(new int[] {-4, 4, 0}, new int[] {3, 3, -4}, 3);
      case 2 -> new Polygon(new int[] {-4, 0, 4, 0}, new int[] {0, 4, 0, -4}, 4);
      case 3 -> new Polygon(new int[] {-4, 4, 0}, new int[] {-3, -3, 4}, 3);
      case 4 -> new Ellipse2D.Double(-3.5, -3.5, 7, 7);
      case 5 -> new Polygon(new int[] {-4, -1, -1, 1, 1, 4, 4, 1, 1, -1, -1, -4}, PLUS_HEIGHTS, 12);
      case 6 -> new Rectangle2D.Double(-4, -1.5, 8, 3);
      case 7 -> new Rectangle2D.Double(-1.5, -5, 3, 10);
      default -> new Ellipse2D.Double(-5, -2.5, 10, 5);
    };
  }

  /** The dash as SVG's {@code stroke-dasharray}. */
  static String dashes(int index) {
    List<String> lengths = new ArrayList<>();
    for (float length : DASHES[index % DASHES.length]) {
      lengths.add(String.format(Locale.ROOT, "%.0f", length));
    }
    return lengths.isEmpty() ? "none" : String.join(" ", lengths);
  }

  /** Each colour with its CSS variable. */
  static Map<Color, String> variables() {
    Map<Color, String> variables = new LinkedHashMap<>();
    variables.put(TEXT, "--text");
    variables.put(FAINT, "--faint");
    variables.put(GRID, "--grid");
    for (int i = 0; i < WAYS.length; i++) {
      variables.put(WAYS[i], "--way-" + i);
    }
    return variables;
  }

  /** The variables' values on light paper. */
  static String light() {
    StringBuilder css = new StringBuilder();
    variables()
        .forEach(
            (color, name) ->
                css.append(String.format("%s: #%06x; ", name, color.getRGB() & 0xffffff)));
    return css.toString();
  }

  /** The variables' values in the dark. */
  static String dark() {
    StringBuilder css = new StringBuilder("--text: #e6eaee; --faint: #9aa6b2; --grid: #36414c; ");
    for (int i = 0; i < WAYS_IN_THE_DARK.length; i++) {
      css.append("--way-").append(i).append(": ").append(WAYS_IN_THE_DARK[i]).append("; ");
    }
    return css.toString();
  }
}
