package dev.warmshelf.measure.report;

import dev.warmshelf.lane.Lane;
import dev.warmshelf.measure.survey.Dependence;
import dev.warmshelf.measure.survey.Gain;
import dev.warmshelf.measure.survey.Surveyed;
import dev.warmshelf.measure.survey.SurveyedStatement;
import dev.warmshelf.measure.survey.SurveyedStatement.Advice;
import dev.warmshelf.measure.survey.SurveyedStatement.Keepable;
import dev.warmshelf.measure.survey.SurveyedStatement.Refused;
import dev.warmshelf.measure.text.ShellText;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.measure.text.TextTable;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.stream.Collectors;
import org.jspecify.annotations.Nullable;

/** A survey as text and as JSON. */
public final class SurveyReport {
  /** What no statistics tell, and how to learn it. */
  public static final String NOT_KNOWN =
      "How often the same question comes again no statistics tell: at worst all come equally often,"
          + " at best all executions ask one. Have the program record what it asks, and 'shelf"
          + " study' says how it is (docs/deciding.md).";

  private static final int WIDTH = 60;
  private static final int COLUMN = 36;
  private static final double LEAST_RATE = 0.001;
  private static final double SHOWN_SHARE = 0.005;

  private final Surveyed surveyed;
  private final List<SurveyedStatement> shown;

  /**
   * @param most how many statements to show; the JSON has all
   */
  public SurveyReport(Surveyed surveyed, int most) {
    this.surveyed = surveyed;
    this.shown =
        surveyed.statements().stream()
            .filter(each -> each.judged() instanceof Keepable)
            .limit(most)
            .toList();
  }

  /** What is shown of those that can be kept. */
  List<SurveyedStatement> shown() {
    return shown;
  }

  /** Those that cannot be kept, and take some time. */
  List<SurveyedStatement> refused() {
    return surveyed.statements().stream()
        .filter(each -> each.judged() instanceof Refused && each.share() >= SHOWN_SHARE)
        .toList();
  }

  /** What was watched, in a sentence. */
  public String headline() {
    double reads = surveyed.statements().stream().mapToDouble(SurveyedStatement::share).sum();
    return String.format(
        Locale.ROOT,
        "%s from %s: %s statements in %s of the server's time, %s of it for reads%s.",
        Text.nanos(surveyed.lasted().toNanos()),
        surveyed.began(),
        Text.count(surveyed.all().calls()),
        Text.nanos(surveyed.all().nanos()),
        Text.percent(reads),
        surveyed.own().nanos() == 0
            ? ""
            : ", " + Text.percent(ownShare()) + " for Warm Shelf's own");
  }

  private double ownShare() {
    return surveyed.own().nanos() / (double) surveyed.all().nanos();
  }

  /** All of it, a line each. */
  public List<String> lines() {
    List<String> lines = new ArrayList<>(List.of(headline()));
    if (shown.isEmpty()) {
      lines.add("No read was executed meanwhile whose answers could be kept.");
    } else {
      lines.add("");
      lines.add("Reads, those first that keeping would likely save most time of:");
      lines.addAll(table("  "));
      for (int i = 0; i < shown.size(); i++) {
        if (shown.get(i).advice() != Advice.LITTLE_TIME) {
          lines.add("");
          lines.addAll(block(i));
        }
      }
    }
    refusedLines(lines);
    installLines(lines);
    lines.add("");
    lines.add(NOT_KNOWN);
    lines.addAll(surveyed.limits());
    return lines;
  }

  /** Those that can be kept, a row each. */
  public List<String> table(String indent) {
    TextTable table = new TextTable(head());
    for (int i = 0; i < shown.size(); i++) {
      table.row(row(i));
    }
    return table.lines(indent);
  }

  private static List<String> head() {
    return List.of(
        "statement",
        "of the time",
        "a second",
        "each",
        "rows",
        "hits at worst",
        "likely",
        "at best",
        "what");
  }

  private List<String> row(int index) {
    SurveyedStatement each = shown.get(index);
    Gain gain = ((Keepable) each.judged()).byRows();
    return List.of(
        index + 1 + "  " + Text.cut(each.text(), COLUMN),
        Text.percent(each.share()),
        perSecond(each.work().calls() * 1e9 / surveyed.lasted().toNanos()),
        Text.nanos(each.meanNanos()),
        Text.count(Math.round(each.work().rows() / (double) each.work().calls())),
        Text.percent(gain.worst()),
        Text.percent(gain.likely()),
        Text.percent(gain.best()),
        each.advice().words());
  }

  private List<String> block(int index) {
    SurveyedStatement each = shown.get(index);
    String number = String.format("%3d  ", index + 1);
    String indent = " ".repeat(number.length());
    List<String> lines = new ArrayList<>();
    lines.add(
        number
            + Text.cut(each.text(), WIDTH)
            + each.form().map(form -> "  (" + form + ")").orElse(""));
    sentences(each).forEach(sentence -> lines.add(indent + sentence));
    return lines;
  }

  /** What there is to say of a statement whose answers can be kept. */
  List<String> sentences(SurveyedStatement each) {
    Keepable keepable = (Keepable) each.judged();
    List<String> said = new ArrayList<>();
    Gain gain = keepable.byRows();
    said.add(
        String.format(
            Locale.ROOT,
            "%s: it saves %s of the server's time likely, %s at worst, %s at best; %s.",
            each.advice().words(),
            Text.percent(each.share() * gain.likely()),
            Text.percent(each.share() * gain.worst()),
            Text.percent(each.share() * gain.best()),
            each.questionsInWords()));
    each.index()
        .ifPresent(
            index -> said.add("An index may serve it better: " + index + ". Look again then."));
    for (Dependence on : keepable.dependsOn()) {
      said.add(
          String.format(
              Locale.ROOT,
              "%s (%s), %s: %s",
              on.table().name(),
              String.join(", ", on.columns()),
              on.reach(),
              changes(on)));
    }
    if (gain.likely() - keepable.byTables().likely() >= 0.01) {
      said.add(
          "Were each change of a table to count, "
              + Text.percent(keepable.byTables().likely())
              + " would hit; tracked columns spare the rest.");
    }
    if (each.form().isEmpty()) {
      said.add(
          "A rule must name it by a mark or its tables: its text has a value that statistics"
              + " leave out.");
    }
    return said;
  }

  private static String changes(Dependence on) {
    if (on.changesPerSecond() == 0) {
      return "did not change";
    }
    boolean all = on.reachingPerSecond() >= on.changesPerSecond();
    return "changes "
        + perSecond(on.changesPerSecond())
        + " times a second"
        + (all ? "" : ", of which " + perSecond(on.reachingPerSecond()) + " reach an answer");
  }

  private void refusedLines(List<String> lines) {
    if (refused().isEmpty()) {
      return;
    }
    lines.add("");
    lines.add("Reads that cannot be kept as they are:");
    for (SurveyedStatement each : refused()) {
      lines.add("  " + Text.percent(each.share()) + "  " + Text.cut(each.text(), WIDTH));
      lines.add("      " + ((Refused) each.judged()).reason() + ".");
      each.index()
          .ifPresent(index -> lines.add("      An index may serve it better: " + index + "."));
    }
  }

  private void installLines(List<String> lines) {
    if (!surveyed.tracked().isEmpty()) {
      lines.add("");
      lines.add("For those worth keeping, the journal would follow:");
      lines.add("  " + installCommand());
    }
  }

  /** What installs the journal for those worth keeping. */
  String installCommand() {
    return "shelf feed install "
        + surveyed.tracked().entrySet().stream()
            .map(each -> ShellText.quoted(followed(each.getKey(), each.getValue())))
            .collect(Collectors.joining(" "));
  }

  /** A table as one that is in no other schema is called. */
  static String shown(Lane table) {
    return table.name().replaceFirst("^public\\.", "");
  }

  /** A table as the journal takes it. */
  private static String followed(Lane table, List<String> columns) {
    String name = shown(table);
    return columns.isEmpty() ? name : name + ":" + String.join(",", columns);
  }

  private static String perSecond(double rate) {
    if (rate < LEAST_RATE) {
      return "less than " + LEAST_RATE;
    }
    return rate >= 100
        ? Text.count(Math.round(rate))
        : String.format(Locale.ROOT, rate >= 1 ? "%.1f" : "%.2g", rate);
  }

  /** As a JSON object's fields. */
  public static Map<String, @Nullable Object> fields(Surveyed surveyed) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("began", surveyed.began().toString());
    fields.put("lastedNanos", surveyed.lasted().toNanos());
    fields.put("executions", surveyed.all().calls());
    fields.put("serverNanos", surveyed.all().nanos());
    fields.put("ownNanos", surveyed.own().nanos());
    fields.put("statements", surveyed.statements().stream().map(SurveyReport::fields).toList());
    Map<String, List<String>> tracked = new LinkedHashMap<>();
    surveyed.tracked().forEach((table, columns) -> tracked.put(table.name(), columns));
    fields.put("tracked", tracked);
    fields.put("limits", surveyed.limits());
    return fields;
  }

  private static Map<String, @Nullable Object> fields(SurveyedStatement each) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("form", each.form().orElse(null));
    fields.put("statement", each.text());
    fields.put("executions", each.work().calls());
    fields.put("rows", each.work().rows());
    fields.put("nanos", each.work().nanos());
    fields.put("blocksFound", each.work().buffersFound());
    fields.put("blocksRead", each.work().buffersRead());
    fields.put("share", each.share());
    fields.put("advice", each.advice().name().toLowerCase(Locale.ROOT).replace('_', '-'));
    fields.put("index", each.index().orElse(null));
    if (each.judged() instanceof Refused refused) {
      fields.put("reason", refused.reason());
    } else if (each.judged() instanceof Keepable keepable) {
      fields.put(
          "questionsAtMost",
          each.questions().isPresent() ? Math.round(each.questions().getAsDouble()) : null);
      fields.put("hitsByRows", keepable.byRows());
      fields.put("hitsByTables", keepable.byTables());
      fields.put("dependsOn", keepable.dependsOn().stream().map(SurveyReport::fields).toList());
    }
    return fields;
  }

  private static Map<String, @Nullable Object> fields(Dependence on) {
    Map<String, @Nullable Object> fields = new LinkedHashMap<>();
    fields.put("table", on.table().name());
    fields.put("columns", on.columns());
    fields.put("reach", on.reach());
    fields.put("changesPerSecond", on.changesPerSecond());
    fields.put("reachingPerSecond", on.reachingPerSecond());
    return fields;
  }
}
