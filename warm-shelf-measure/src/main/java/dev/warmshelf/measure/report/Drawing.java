package dev.warmshelf.measure.report;

import java.awt.Color;
import java.awt.geom.Rectangle2D;
import java.awt.image.BufferedImage;
import java.io.IOException;
import java.io.StringWriter;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import javax.imageio.ImageIO;
import javax.xml.parsers.DocumentBuilderFactory;
import javax.xml.parsers.ParserConfigurationException;
import org.apache.batik.svggen.SVGGraphics2D;
import org.jfree.chart.JFreeChart;
import org.w3c.dom.Document;

/**
 * One plot, ready to be put somewhere.
 *
 * @param name of one word, for a file
 * @param title what it shows
 * @param caption how to read it
 * @param description what can be seen in it, for those who cannot see it
 */
record Drawing(String name, String title, String caption, String description, JFreeChart chart) {
  private static final int WIDTH = 560;
  private static final int HEIGHT = 330;
  private static final int PNG_SCALE = 2;

  /**
   * As an SVG element whose colours are the page's variables. Its identifiers begin with the name,
   * so that several can stand in one page.
   */
  String svg() {
    SVGGraphics2D graphics = new SVGGraphics2D(emptyDocument());
    chart.draw(graphics, new Rectangle2D.Double(0, 0, WIDTH, HEIGHT));
    StringWriter out = new StringWriter();
    try {
      graphics.stream(out, true);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    String svg = out.toString();
    svg = svg.substring(svg.indexOf("<svg"));
    svg = svg.replaceAll("\\bid=\"", "id=\"" + name + "-").replace("url(#", "url(#" + name + "-");
    for (Map.Entry<Color, String> each : Inks.variables().entrySet()) {
      Color color = each.getKey();
      String rgb = "rgb(" + color.getRed() + "," + color.getGreen() + "," + color.getBlue() + ")";
      svg = svg.replace(rgb, "var(" + each.getValue() + ")");
    }
    return svg.replaceFirst(
        "<svg",
        "<svg viewBox=\"0 0 "
            + WIDTH
            + " "
            + HEIGHT
            + "\" role=\"img\" aria-label=\""
            + Html.escaped(title + ". " + description)
            + "\"");
  }

  /** Several, each with its title and caption. */
  static String figures(List<Drawing> plots) {
    StringBuilder out = new StringBuilder();
    for (Drawing plot : plots) {
      out.append("<figure><h2>").append(Html.escaped(plot.title())).append("</h2>");
      out.append(plot.svg());
      out.append("<figcaption>").append(Html.escaped(plot.caption()));
      out.append("</figcaption></figure>\n");
    }
    return out.toString();
  }

  /** Writes each as a picture; returns the files. */
  static List<Path> writePngs(List<Drawing> plots, Path directory) throws IOException {
    Files.createDirectories(directory);
    List<Path> files = new ArrayList<>();
    for (Drawing plot : plots) {
      Path file = directory.resolve(plot.name() + ".png");
      plot.writePng(file);
      files.add(file);
    }
    return files;
  }

  private static Document emptyDocument() {
    try {
      return DocumentBuilderFactory.newDefaultInstance()
          .newDocumentBuilder()
          .getDOMImplementation()
          .createDocument("http://www.w3.org/2000/svg", "svg", null);
    } catch (ParserConfigurationException e) {
      throw new IllegalStateException("the platform's own XML needs no configuration", e);
    }
  }

  /** As a picture on white. */
  void writePng(Path file) throws IOException {
    BufferedImage image =
        new BufferedImage(WIDTH * PNG_SCALE, HEIGHT * PNG_SCALE, BufferedImage.TYPE_INT_RGB);
    java.awt.Graphics2D graphics = image.createGraphics();
    graphics.setPaint(Color.WHITE);
    graphics.fillRect(0, 0, image.getWidth(), image.getHeight());
    graphics.scale(PNG_SCALE, PNG_SCALE);
    chart.draw(graphics, new Rectangle2D.Double(0, 0, WIDTH, HEIGHT));
    graphics.dispose();
    if (!ImageIO.write(image, "png", file.toFile())) {
      throw new IOException("This Java cannot write PNG.");
    }
  }
}
