package dev.warmshelf.cli.program;

import dev.warmshelf.jmx.OpenRow;
import dev.warmshelf.measure.text.Controls;
import dev.warmshelf.measure.text.Text;
import java.util.List;

/** What a program's changes have invalidated needlessly of late, in words. */
public final class NeedlessLines {
  private static final int MOST = 3;

  private NeedlessLines() {}

  /** A line for each table where it is much, those first that cost most; as JMX has them. */
  public static List<String> of(List<OpenRow> needless) {
    return needless.stream()
        .filter(row -> row.is("much"))
        .sorted(
            (one, other) -> Long.compare(other.number("recentNanos"), one.number("recentNanos")))
        .limit(MOST)
        .map(NeedlessLines::line)
        .toList();
  }

  private static String line(OpenRow row) {
    return Controls.inOneLine(
        ("needless: of %s answers on %s that changes to %s invalidated, %s said the same again"
                + " (%s of the database, in the last minutes). %s")
            .formatted(
                Text.count(row.number("recentReloads")),
                row.text("shelf"),
                row.text("table"),
                Text.count(row.number("recentNeedless")),
                Text.nanos(row.number("recentNanos")),
                row.text("advice")));
  }
}
