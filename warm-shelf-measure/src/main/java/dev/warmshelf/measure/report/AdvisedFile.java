package dev.warmshelf.measure.report;

import dev.warmshelf.measure.survey.Surveyed;
import dev.warmshelf.measure.survey.SurveyedStatement;
import dev.warmshelf.measure.survey.SurveyedStatement.Advice;
import dev.warmshelf.measure.survey.SurveyedStatement.Keepable;
import dev.warmshelf.measure.text.Controls;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.study.Findings;
import dev.warmshelf.study.KeyAdvice;
import dev.warmshelf.study.MemoryForecast;
import dev.warmshelf.study.Repeats;
import dev.warmshelf.study.StatementText;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.jspecify.annotations.Nullable;

/**
 * What a survey and the study of a recording advise, as a configuration file: rules, shelves and
 * room, each with its evidence in a comment before it. Where they differ the recording is right: it
 * knows what repeats.
 */
public final class AdvisedFile {
  private static final double LEAST_SHARE = 0.005;
  private static final double LEAST_HITS = 0.2;

  /** Room that saves so much of what the most room does is enough. */
  private static final double ENOUGH = 0.99;

  private static final String USUAL_SHELF = "main";
  private static final Pattern PLAIN = Pattern.compile("[A-Za-z]([\\w .-]*\\w)?");

  private final @Nullable Surveyed surveyed;
  private final @Nullable Findings findings;
  private final List<String> lines = new ArrayList<>();

  /** What is to be said and done of each statement. */
  private final List<Advised> statements = new ArrayList<>();

  /** One statement's part of the file. */
  private static final class Advised {
    private final String text;
    private final @Nullable SurveyedStatement surveyed;
    private final List<String> evidence = new ArrayList<>();
    private String named;
    private String shelf = USUAL_SHELF;
    private boolean keep;
    private boolean mixes;

    /**
     * @param named how a rule names it
     */
    Advised(String text, @Nullable SurveyedStatement surveyed, String named) {
      this.text = text;
      this.surveyed = surveyed;
      this.named = named;
    }

    boolean is(StatementText statement) {
      return (surveyed != null && surveyed.is(statement.text()))
          || named.equals(form(statement.digest()));
    }

    static String form(String digest) {
      return "form: " + digest;
    }
  }

  private AdvisedFile(@Nullable Surveyed surveyed, @Nullable Findings findings) {
    this.surveyed = surveyed;
    this.findings = findings;
  }

  /**
   * The file's text.
   *
   * @param surveyed null if there was no survey
   * @param findings null if no recording was studied
   * @param from where it comes from, in words, for its head
   */
  public static String of(@Nullable Surveyed surveyed, @Nullable Findings findings, String from) {
    return new AdvisedFile(surveyed, findings).written(from);
  }

  private String written(String from) {
    if (surveyed != null) {
      surveyed.statements().forEach(this::add);
    }
    if (findings != null) {
      addStudied(findings);
    }
    lines.add("# Advised by " + from + ".");
    lines.add("# Before each line stands why it is there. Read them, then:");
    lines.add("#   shelf config check THIS-FILE --db URL");
    journal();
    room();
    shelves();
    rules();
    return lines.stream().map(AdvisedFile::printable).collect(Collectors.joining("\n", "", "\n"));
  }

  private void add(SurveyedStatement each) {
    if (!(each.judged() instanceof Keepable keepable) || each.share() < LEAST_SHARE) {
      return;
    }
    String tables =
        keepable.dependsOn().stream()
            .map(on -> quoted(SurveyReport.shown(on.table())))
            .distinct()
            .collect(Collectors.joining(", ", "tables-among: [", "]"));
    Advised advised = new Advised(each.text(), each, each.form().map(Advised::form).orElse(tables));
    statements.add(advised);
    advised.keep = each.advice() == Advice.KEEP;
    advised.evidence.add(
        String.format(
            Locale.ROOT,
            "the server's statistics: %s of its time, %s executions of %s; hits %s at worst, %s"
                + " likely, %s at best",
            Text.percent(each.share()),
            Text.count(each.work().calls()),
            Text.nanos(each.meanNanos()),
            Text.percent(keepable.byRows().worst()),
            Text.percent(keepable.byRows().likely()),
            Text.percent(keepable.byRows().best())));
    each.index().ifPresent(index -> advised.evidence.add("an index may serve it better: " + index));
  }

  private void addStudied(Findings studied) {
    double all =
        studied.repeats().stream().mapToDouble(each -> each.questions() * each.loadMicros()).sum();
    for (Repeats each : studied.repeats()) {
      double share = all == 0 ? 0 : each.questions() * each.loadMicros() / all;
      boolean known = statements.stream().anyMatch(other -> other.is(each.statement()));
      if (!known && share < LEAST_SHARE) {
        continue;
      }
      Advised advised = advised(each.statement());
      advised.keep = each.wouldHit().ratio() >= LEAST_HITS;
      advised.evidence.add(
          String.format(
              Locale.ROOT,
              "the recording: %s of the time of loads, %s questions, %s different; %s would hit",
              Text.percent(share),
              Text.count(each.questions()),
              Text.count(each.distinct()),
              Text.percent(each.wouldHit().ratio())));
    }
    for (KeyAdvice each : studied.advice()) {
      Advised advised = advised(each.statement());
      advised.evidence.add(each.evidence());
      advised.evidence.add(each.remedy());
      if (each instanceof KeyAdvice.Mixes) {
        advised.mixes = true;
      }
    }
  }

  private Advised advised(StatementText statement) {
    Advised advised =
        statements.stream().filter(each -> each.is(statement)).findFirst().orElse(null);
    if (advised == null) {
      advised = new Advised(statement.text(), null, "");
      statements.add(advised);
    }
    advised.named = Advised.form(statement.digest());
    if (!statement.shelf().isEmpty()) {
      advised.shelf = statement.shelf();
    }
    return advised;
  }

  private void journal() {
    if (surveyed != null && !surveyed.tracked().isEmpty()) {
      lines.add("");
      lines.add("# The tables that they read, with the columns by which changes are told apart:");
      lines.add("#   " + new SurveyReport(surveyed, 1).installCommand());
    }
  }

  private void room() {
    List<MemoryForecast> forecast = findings == null ? List.of() : findings.memory();
    Optional<MemoryForecast> best =
        forecast.stream().max(Comparator.comparingDouble(each -> each.saved().ratio()));
    if (best.isEmpty() || best.get().saved().ratio() == 0) {
      lines.add("");
      lines.add("# How much room is enough, 'shelf study' says of a recording.");
      return;
    }
    MemoryForecast enough = enough(forecast, best.get());
    lines.add("");
    lines.add(
        "# %s of the recording's questions would hit, which saves %s of the database's time;"
            .formatted(Text.percent(enough.hits().ratio()), Text.percent(enough.saved().ratio())));
    lines.add(
        "# the most that any room looked at would save is %s."
            .formatted(Text.percent(best.get().saved().ratio())));
    forecast.stream()
        .filter(each -> each.bytes() == enough.bytes())
        .forEach(
            each ->
                lines.add(
                    "# If what leaves first is "
                        + choice(each)
                        + ": "
                        + Text.percent(each.saved().ratio())
                        + "."));
    if (enough.leaving() == Leaving.LEAST_TIME_SAVED) {
      lines.add("room: " + size(enough.bytes()));
      return;
    }
    lines.add("policies:");
    lines.add("  default:");
    lines.add("    # each shelf's own: what leaves first in shared room is least-time-saved");
    lines.add("    room: " + size(enough.bytes()));
    lines.add("    leaves-first: " + choice(enough));
  }

  private static MemoryForecast enough(List<MemoryForecast> forecast, MemoryForecast best) {
    return forecast.stream()
        .filter(each -> each.saved().ratio() >= ENOUGH * best.saved().ratio())
        .min(
            Comparator.comparingLong(MemoryForecast::bytes)
                .thenComparing(each -> each.leaving() != Leaving.LEAST_TIME_SAVED)
                .thenComparing(each -> -each.saved().ratio()))
        .orElse(best);
  }

  private static String choice(MemoryForecast forecast) {
    return forecast.leaving().name().toLowerCase(Locale.ROOT).replace('_', '-');
  }

  private static String size(long bytes) {
    long kib = (bytes + 1023) / 1024;
    return kib % 1024 == 0 ? kib / 1024 + " MiB" : kib + " KiB";
  }

  private void shelves() {
    Set<String> shelves = new TreeSet<>(Set.of(USUAL_SHELF));
    statements.forEach(each -> shelves.add(each.shelf));
    lines.add("");
    lines.add("shelves:");
    shelves.forEach(shelf -> lines.add("  " + quoted(shelf) + ": default"));
  }

  private void rules() {
    lines.add("");
    if (statements.stream().noneMatch(each -> each.keep || each.mixes)) {
      lines.add("# No statement was found worth keeping: there are no rules.");
    } else {
      lines.add("rules:");
    }
    statements.forEach(
        each -> {
          String indent = each.keep || each.mixes ? "  " : "";
          lines.add(indent + "# " + Text.onOneLine(each.text));
          if (each.keep && each.named.startsWith("tables")) {
            lines.add("  #   named by its tables, since statistics leave out values of its text");
          }
          each.evidence.forEach(said -> lines.add(indent + "#   " + Text.onOneLine(said)));
          if (each.mixes) {
            lines.add("  - " + each.named);
            lines.add("    keep: false");
          } else if (each.keep) {
            lines.add("  - " + each.named);
            lines.add("    shelf: " + quoted(each.shelf));
          } else {
            lines.add("#   so it has no rule");
          }
        });
  }

  /** In double quotes, where {@link #printable} is an escape (YAML 1.2.2, section 5.7). */
  private static String quoted(String text) {
    return PLAIN.matcher(text).matches()
        ? text
        : '"' + text.replace("\\", "\\\\").replace("\"", "\\\"").replace("\n", "\\n") + '"';
  }

  /** A line without what is no text in YAML, or ends a line there (sections 5.1 and 5.4). */
  private static String printable(String line) {
    StringBuilder printable = new StringBuilder();
    for (int i = 0; i < line.length(); i++) {
      char c = line.charAt(i);
      boolean taken =
          !Controls.isOne(c)
              && c != '\n'
              && c != '\u2028'
              && c != '\u2029'
              && c != '\ufeff'
              && c < '\ufffe';
      printable.append(taken ? String.valueOf(c) : Controls.shown(c));
    }
    return printable.toString();
  }
}
