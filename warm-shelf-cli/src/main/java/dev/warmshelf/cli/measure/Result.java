package dev.warmshelf.cli.measure;

import dev.warmshelf.meter.Meters;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;

/**
 * What a comparison found.
 *
 * @param took how long it ran in all
 * @param commits what the writer committed meanwhile
 * @param ways in the order they were run; the first is the direct way
 * @param meters the shelf's own counts, warm-up included
 */
public record Result(
    Comparison.Settings settings,
    Company company,
    Duration took,
    long commits,
    List<Figures> ways,
    Meters.Snapshot meters) {

  /** What is wrong with the run or with what it measured, in words; empty if nothing is. */
  public List<String> faults() {
    List<String> faults = new ArrayList<>();
    for (Figures figures : ways) {
      if (figures.way().equals("direct") && figures.stale() > 0) {
        faults.add(
            figures.stale()
                + " direct reads were stale, which cannot be: the measurement is wrong");
      }
      if (figures.never() > 0) {
        faults.add(
            figures.never()
                + " stale reads of '"
                + figures.way()
                + "' would never have been put out: a footprint is wrong");
      }
      if (!figures.countsAgree()) {
        faults.add(
            "'"
                + figures.way()
                + "' counted "
                + figures.ownDatabaseReads()
                + " database reads, but the database "
                + figures.countedDatabaseReads().orElse(0)
                + "; does another program ask the same questions?");
      }
    }
    return faults;
  }
}
