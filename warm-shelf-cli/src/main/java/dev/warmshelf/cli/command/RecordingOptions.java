package dev.warmshelf.cli.command;

import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.Limits;
import dev.warmshelf.cli.screen.OutputFiles;
import dev.warmshelf.cli.screen.Screen;
import dev.warmshelf.measure.figures.Result;
import dev.warmshelf.measure.run.Comparison;
import dev.warmshelf.measure.run.Refused;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.measure.workload.RecordedRequests;
import dev.warmshelf.measure.workload.Workload;
import dev.warmshelf.record.ShelfRecording;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.SQLException;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Option;

/** What to record of a run, and which recording to ask again. */
final class RecordingOptions {
  @Option(
      names = "--record",
      paramLabel = "FILE",
      description = "Record the questions of the last way, to replay them later.")
  private @Nullable Path record;

  @Option(
      names = "--replay",
      paramLabel = "FILE",
      description =
          "Ask what a recording holds, in its order, instead of the workload's queries. Queries that"
              + " the workload has, too, take label and versions from there.")
  private @Nullable Path replay;

  @Option(
      names = "--speed",
      paramLabel = "N",
      description =
          "With --replay: how many times the recorded pace. Default: 0, as fast as can be.")
  private double speed;

  boolean replays() {
    return replay != null;
  }

  /** Says before the run what cannot be done. */
  void requireSensible(boolean rateGiven, OutputFiles files) throws Failure {
    files.reads(replay);
    files.writes("--record", record);
    Limits.require("--speed", speed, 0, Limits.MOST_PER_SECOND);
    if (speed > 0 && replay == null) {
      throw new Failure("--speed says how fast to replay a recording; add --replay FILE.");
    }
    if (rateGiven && replay != null) {
      throw new Failure("A recording is replayed at --speed, not at --rate; give one of them.");
    }
  }

  /** A workload that holds nothing but the recording's name. */
  Workload nothingBeside() {
    return new Workload("replay of " + replay, Map.of(), List.of(), List.of(), 0, 0);
  }

  /** The recording to ask again, if there is one. */
  Optional<RecordedRequests> replayed(
      DataSource database, Workload workload, int readers, Screen screen)
      throws Failure, SQLException {
    if (replay == null) {
      return Optional.empty();
    }
    try {
      RecordedRequests recorded = RecordedRequests.of(replay, workload, readers, speed);
      recorded.leaveOut(Refused.among(database, recorded.samples()));
      long questions = recorded.size().orElse(0);
      if (questions == 0) {
        throw new Failure(
            "Nothing of the recording "
                + replay
                + " can be asked of this database. Left out: "
                + String.join("; ", recorded.leftOut()));
      }
      screen.line(String.format(Locale.ROOT, "replaying %s: %,d questions", replay, questions));
      recorded.leftOut().forEach(each -> screen.line("left out: " + each));
      return Optional.of(recorded);
    } catch (IOException e) {
      throw Failure.of("The recording " + replay + " cannot be replayed", e);
    }
  }

  /** Runs a comparison, and records it if it should be. */
  Result run(Comparison comparison, Screen screen) throws Exception {
    if (record == null) {
      return comparison.run();
    }
    ShelfRecording recording;
    try {
      recording = ShelfRecording.to(record).keepingEarlier(0).open();
    } catch (IOException e) {
      throw Failure.of("The recording " + record + " cannot be written", e);
    }
    Result result;
    try (recording) {
      comparison.recordTo(recording);
      result = comparison.run();
    }
    screen.line(
        String.format(
            Locale.ROOT,
            "recorded: %s, %s%s",
            record,
            Text.bytes(Files.size(record)),
            recording.lost() == 0
                ? ""
                : ", but for " + Text.count(recording.lost()) + " questions that came too fast"));
    return result;
  }
}
