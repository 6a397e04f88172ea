package dev.warmshelf.cli.command;

import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.OutputFiles;
import dev.warmshelf.cli.screen.Screen;
import dev.warmshelf.measure.report.DrawnPage;
import java.awt.AWTError;
import java.io.IOException;
import java.nio.file.Path;
import java.util.List;
import java.util.function.Supplier;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Option;

/** Where to write what was measured as a page and as plots. */
public final class PageOptions {
  @Option(
      names = "--report",
      paramLabel = "FILE",
      description = "Write an HTML page with tables and plots; it needs nothing beside it.")
  private @Nullable Path page;

  @Option(names = "--plots", paramLabel = "DIRECTORY", description = "Write each plot as a PNG.")
  private @Nullable Path plots;

  /** Says before the run, not after it, what cannot be written. */
  public void requireWritable(OutputFiles files, List<String> plotFiles) throws Failure {
    files.writes("--report", page);
    files.writesInto("--plots", plots, plotFiles);
  }

  /** After the tables are out: what was measured is not lost if a page cannot be written. */
  public void draw(Supplier<DrawnPage> drawing, Screen screen) throws Failure {
    if (page == null && plots == null) {
      return;
    }
    System.setProperty("java.awt.headless", "true"); // no screen is needed, nor asked for
    try {
      DrawnPage drawn = drawing.get();
      if (page != null) {
        drawn.writePage(page);
        screen.line("written: " + page);
      }
      if (plots != null) {
        drawn.writePlots(plots).forEach(file -> screen.line("written: " + file));
      }
    } catch (IOException e) {
      throw Failure.of("The report cannot be written", e);
    } catch (LinkageError | InternalError | AWTError e) {
      throw new Failure(
          "This Java cannot draw ("
              + e
              + "). Plots need the fonts of the machine: install fontconfig and a font.",
          e);
    }
  }
}
