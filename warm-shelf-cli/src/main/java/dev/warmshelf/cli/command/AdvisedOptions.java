package dev.warmshelf.cli.command;

import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.OutputFiles;
import dev.warmshelf.cli.screen.Screen;
import dev.warmshelf.measure.report.AdvisedFile;
import dev.warmshelf.measure.survey.Surveyed;
import dev.warmshelf.study.Findings;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Option;

/** Where to write what is advised as a configuration. */
final class AdvisedOptions {
  @Option(
      names = "--config",
      paramLabel = "FILE",
      description =
          "Write what is advised as a configuration: rules, shelves and room, each with its evidence."
              + " 'shelf config check' takes it.")
  private @Nullable Path file;

  /** Says before the work, not after it, if it cannot be written. */
  void requireWritable(OutputFiles files) throws Failure {
    files.writes("--config", file);
  }

  /** Whether anything is to be written. */
  boolean isAsked() {
    return file != null;
  }

  void write(@Nullable Surveyed surveyed, @Nullable Findings findings, String from, Screen screen)
      throws Failure {
    if (file == null) {
      return;
    }
    try {
      Files.writeString(file, AdvisedFile.of(surveyed, findings, from));
      screen.line("written: " + file);
    } catch (IOException e) {
      throw Failure.of("The configuration cannot be written", e);
    }
  }
}
