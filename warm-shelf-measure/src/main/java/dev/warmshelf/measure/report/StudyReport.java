package dev.warmshelf.measure.report;

import dev.warmshelf.measure.text.Text;
import dev.warmshelf.measure.text.TextTable;
import dev.warmshelf.record.RecordingFile;
import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.study.ChangeForecast;
import dev.warmshelf.study.Findings;
import dev.warmshelf.study.KeyAdvice;
import dev.warmshelf.study.LifeForecast;
import dev.warmshelf.study.MemoryForecast;
import dev.warmshelf.study.Repeats;
import dev.warmshelf.study.Share;
import dev.warmshelf.study.StatementText;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeSet;
import org.jspecify.annotations.Nullable;

/** What a recording says, as text and as JSON. */
public final class StudyReport {
  private static final int WIDTH = 60;
  private static final int NANOS_PER_MICRO = 1_000;
  private static final String INDENT = "  ";

  private final Findings findings;
  private final int most;
  private final List<String> lines = new ArrayList<>();

  /**
   * @param most how many statements to show; the JSON has all
   */
  public StudyReport(Findings findings, int most) {
    this.findings = findings;
    this.most = most;
  }

  /** All of it, a line each. */
  public List<String> lines() {
    lines.addAll(headlines());
    repeats();
    advice();
    changes();
    memory();
    lives();
    return lines;
  }

  /** What was recorded, and how much of it was looked at. */
  List<String> headlines() {
    RecordingFile.Summary summary = findings.summary();
    List<String> said = new ArrayList<>();
    said.add(
        "%s questions, recorded from %s%s%s"
            .formatted(
                Text.count(summary.questions()),
                summary.began(),
                summary.lost() == 0 ? "" : "; " + Text.count(summary.lost()) + " more were lost",
                summary.complete() ? "" : "; its end is missing"));
    if (findings.lookedAt() < 1) {
      said.add(
          "looked at: %s of the keys, a sample; ± says how far a share may be off"
              .formatted(Text.percent(findings.lookedAt())));
    }
    return said;
  }

  private void repeats() {
    lines.add("");
    lines.add("What repeats, those first that would save most time in a shelf without bound:");
    TextTable table = new TextTable(repeatsHead());
    repeatsRows().forEach(table::row);
    lines.addAll(table.lines(INDENT));
    int more = findings.repeats().size() - most;
    if (more > 0) {
      lines.add(INDENT + "and " + Text.count(more) + " more (--most, --json)");
    }
  }

  static List<String> repeatsHead() {
    return List.of(
        "statement",
        "asked",
        "different",
        "would hit",
        "again after",
        "1 of 10 after",
        "a load",
        "saved",
        "never read again");
  }

  List<List<String>> repeatsRows() {
    return findings.repeats().stream().limit(most).map(StudyReport::row).toList();
  }

  private static List<String> row(Repeats each) {
    return List.of(
        shown(each.statement()),
        Text.count(each.questions()),
        Text.count(each.distinct()),
        share(each.wouldHit()),
        each.gap().map(gap -> micros((double) gap.medianMicros())).orElse("–"),
        each.gap().map(gap -> micros((double) gap.longMicros())).orElse("–"),
        micros(each.loadMicros()),
        micros(each.savedMicros()),
        share(each.neverReadAgain()));
  }

  private void advice() {
    lines.add("");
    if (findings.advice().isEmpty()) {
      lines.add("Keys: nothing was found that splits them for nothing, or mixes answers.");
      if (!findings.summary().parameters()) {
        lines.add(INDENT + "Inputs that split could not be looked for: it has no values.");
      }
      return;
    }
    lines.add("Keys that are wrong:");
    lines.addAll(adviceLines(INDENT));
  }

  /** What is wrong with keys; no line if nothing was found. */
  public List<String> adviceLines(String indent) {
    List<String> said = new ArrayList<>();
    for (KeyAdvice each : findings.advice()) {
      said.add(indent + shown(each.statement()));
      said.add(indent + INDENT + each.evidence() + ".");
      if (each instanceof KeyAdvice.Mixes mixes) {
        for (KeyAdvice.Example example : mixes.examples()) {
          said.add(
              indent
                  + INDENT
                  + "key "
                  + example.key()
                  + ": "
                  + String.join(", ", example.answers()));
        }
      }
      said.add(indent + INDENT + "→ " + each.remedy() + ".");
    }
    return said;
  }

  private void changes() {
    lines.add("");
    lines.add("Kept until something changes, with no bound on memory:");
    TextTable table = new TextTable(changesHead());
    changesRows().forEach(table::row);
    lines.addAll(table.lines(INDENT));
    if (findings.changes().stream()
        .noneMatch(each -> each.ends() == ChangeForecast.Ends.TABLE_CHANGED)) {
      lines.add(INDENT + "The recording tells of no changes of tables.");
    }
  }

  static List<String> changesHead() {
    return List.of("an answer is put out by", "hit", "time saved");
  }

  List<List<String>> changesRows() {
    return findings.changes().stream()
        .map(each -> List.of(inWords(each.ends()), share(each.hits()), share(each.saved())))
        .toList();
  }

  private static String inWords(ChangeForecast.Ends ends) {
    return switch (ends) {
      case TABLE_CHANGED -> "each change of a table that it reads";
      case ROWS_CHANGED -> "each change of rows that it stands on, by the columns tracked";
      case ANSWER_CHANGED ->
          "what changes the answer: the most that a second look and mending can add";
    };
  }

  private void memory() {
    lines.add("");
    lines.add(
        "Memory: share of questions that hit / of the database's time saved, by what leaves first:");
    List<Leaving> choices =
        findings.memory().stream().map(MemoryForecast::leaving).distinct().toList();
    List<String> head = new ArrayList<>(List.of("room"));
    choices.forEach(each -> head.add(inWords(each)));
    TextTable table = new TextTable(head);
    List<String> last = List.of();
    String shownLast = "";
    for (long bytes :
        new TreeSet<>(findings.memory().stream().map(MemoryForecast::bytes).toList())) {
      List<String> row = new ArrayList<>();
      for (Leaving choice : choices) {
        findings.memory().stream()
            .filter(each -> each.leaving() == choice && each.bytes() == bytes)
            .findFirst()
            .ifPresent(each -> row.add(share(each.hits()) + " / " + share(each.saved())));
      }
      if (!row.equals(last)) {
        last = List.copyOf(row);
        shownLast = Text.bytes(bytes);
        row.add(0, shownLast);
        table.row(row);
      }
    }
    lines.addAll(table.lines(INDENT));
    long largest = findings.memory().stream().mapToLong(MemoryForecast::bytes).max().orElse(0);
    if (!Text.bytes(largest).equals(shownLast)) {
      lines.add(INDENT + "More room changes nothing, up to " + Text.bytes(largest) + ".");
    }
  }

  private void lives() {
    lines.add("");
    lines.add("A time alone, with no feed and no bound on memory:");
    TextTable table = new TextTable(List.of("kept for", "hit", "stale", "time saved"));
    List<String> last = List.of();
    boolean more = false;
    for (LifeForecast each : findings.lives()) {
      List<String> row = List.of(share(each.hits()), share(each.stale()), share(each.saved()));
      more = row.equals(last);
      if (!more) {
        last = row;
        List<String> cells = new ArrayList<>(List.of(inWords(each.life())));
        cells.addAll(row);
        table.row(cells);
      }
    }
    lines.addAll(table.lines(INDENT));
    if (more) {
      lines.add(INDENT + "Longer is the same, as far as the recording goes.");
    }
  }

  static String inWords(Leaving choice) {
    return choice.name().toLowerCase(Locale.ROOT).replace('_', ' ');
  }

  /** A life as its option takes it. */
  static String inWords(Duration life) {
    long millis = life.toMillis();
    if (millis % 1_000 != 0) {
      return millis + " ms";
    } else if (life.toSeconds() % 60 != 0) {
      return life.toSeconds() + " s";
    }
    return life.toMinutes() % 60 == 0 ? life.toHours() + " h" : life.toMinutes() + " min";
  }

  private static String shown(StatementText statement) {
    return Text.cut(statement.text(), WIDTH);
  }

  private static String micros(double micros) {
    return Text.nanos(Math.round(micros * NANOS_PER_MICRO));
  }

  private static String share(Share share) {
    String ratio = Text.percent(share.ratio());
    return share.error() == 0
        ? ratio
        : ratio + String.format(Locale.ROOT, " ± %.1f", 100 * share.error());
  }

  /** All of it. */
  public static Map<String, @Nullable Object> fields(Findings findings) {
    RecordingFile.Summary summary = findings.summary();
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("began", summary.began().toString());
    fields.put("questions", summary.questions());
    fields.put("lost", summary.lost());
    fields.put("complete", summary.complete());
    fields.put("lookedAt", findings.lookedAt());
    fields.put("statements", findings.repeats().stream().map(StudyReport::fields).toList());
    fields.put("advice", findings.advice().stream().map(StudyReport::fields).toList());
    fields.put("changes", findings.changes().stream().map(StudyReport::fields).toList());
    fields.put("memory", findings.memory().stream().map(StudyReport::fields).toList());
    fields.put("lives", findings.lives().stream().map(StudyReport::fields).toList());
    return fields;
  }

  private static Map<String, @Nullable Object> fields(Repeats repeats) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    put(fields, repeats.statement());
    fields.put("questions", repeats.questions());
    fields.put("distinct", repeats.distinct());
    put(fields, "wouldHit", repeats.wouldHit());
    put(fields, "neverReadAgain", repeats.neverReadAgain());
    fields.put("gapMedianMicros", repeats.gap().map(Repeats.Gap::medianMicros).orElse(null));
    fields.put("gapLongMicros", repeats.gap().map(Repeats.Gap::longMicros).orElse(null));
    fields.put("loadMicros", repeats.loadMicros());
    fields.put("savedMicros", Math.round(repeats.savedMicros()));
    return fields;
  }

  private static Map<String, @Nullable Object> fields(KeyAdvice advice) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("kind", advice instanceof KeyAdvice.Splits ? "splits" : "mixes");
    put(fields, advice.statement());
    if (advice instanceof KeyAdvice.Splits splits) {
      fields.put("parameter", splits.parameter());
      fields.put("compared", splits.compared());
      fields.put("differed", splits.differed());
      put(fields, "hits", splits.hits());
      put(fields, "wouldHit", splits.wouldHit());
    } else if (advice instanceof KeyAdvice.Mixes mixes) {
      fields.put("compared", mixes.compared());
      fields.put("differed", mixes.differed());
      fields.put("returned", mixes.returned());
      fields.put("keys", mixes.keys());
      fields.put("examples", mixes.examples());
    }
    fields.put("evidence", advice.evidence());
    fields.put("remedy", advice.remedy());
    return fields;
  }

  private static Map<String, @Nullable Object> fields(ChangeForecast forecast) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("ends", forecast.ends().name().toLowerCase(Locale.ROOT).replace('_', '-'));
    put(fields, "hits", forecast.hits());
    put(fields, "saved", forecast.saved());
    return fields;
  }

  private static Map<String, @Nullable Object> fields(MemoryForecast forecast) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("leaving", forecast.leaving().name().toLowerCase(Locale.ROOT).replace('_', '-'));
    fields.put("bytes", forecast.bytes());
    put(fields, "hits", forecast.hits());
    put(fields, "saved", forecast.saved());
    return fields;
  }

  private static Map<String, @Nullable Object> fields(LifeForecast forecast) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("lifeMillis", forecast.life().toMillis());
    put(fields, "hits", forecast.hits());
    put(fields, "stale", forecast.stale());
    put(fields, "saved", forecast.saved());
    return fields;
  }

  private static void put(Map<String, @Nullable Object> fields, StatementText statement) {
    fields.put("shelf", statement.shelf());
    fields.put("form", statement.digest());
    fields.put("statement", statement.text());
  }

  private static void put(Map<String, @Nullable Object> fields, String name, Share share) {
    fields.put(name, share.ratio());
    fields.put(name + "Within", share.error());
  }
}
