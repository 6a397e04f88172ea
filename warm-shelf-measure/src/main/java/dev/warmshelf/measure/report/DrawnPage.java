package dev.warmshelf.measure.report;

import java.io.IOException;
import java.nio.file.Path;
import java.util.List;

/** One HTML page that needs nothing beside it, and its plots as pictures. */
public interface DrawnPage {
  /**
   * Writes the page.
   *
   * @throws IOException if it cannot be written
   */
  void writePage(Path file) throws IOException;

  /**
   * Writes each plot as a PNG.
   *
   * @return the files
   * @throws IOException if one cannot be written
   */
  List<Path> writePlots(Path directory) throws IOException;
}
