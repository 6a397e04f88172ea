package dev.warmshelf.cli.program;

import dev.warmshelf.jmx.OpenRow;
import dev.warmshelf.measure.text.Controls;
import dev.warmshelf.measure.text.Text;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;

/**
 * What a program has to say of what it keeps, as JMX has it.
 *
 * @param needless by table, what its changes have invalidated needlessly
 * @param stoodDown the forms of question of which nothing is kept, since that cost more than it
 *     gave
 */
public record Remarks(List<OpenRow> needless, List<OpenRow> stoodDown) {
  /** None. */
  public static final Remarks NONE = new Remarks(List.of(), List.of());

  private static final int MOST = 3;
  private static final int MOST_FORMS = 5;

  /** Keeps copies. */
  public Remarks {
    needless = List.copyOf(needless);
    stoodDown = List.copyOf(stoodDown);
  }

  /**
   * A line for each table where much was needless of late, those first that cost most; and one for
   * each form that stands down, who longest first.
   */
  public List<String> lines() {
    Stream<String> tables =
        needless.stream()
            .filter(row -> row.is("much"))
            .sorted(
                (one, other) ->
                    Long.compare(other.number("recentNanos"), one.number("recentNanos")))
            .limit(MOST)
            .map(Remarks::ofTable);
    Stream<String> forms = stoodDown.stream().limit(MOST_FORMS).map(Remarks::ofForm);
    int others = stoodDown.size() - MOST_FORMS;
    Stream<String> rest =
        others > 0 ? Stream.of("stands down: %d more forms".formatted(others)) : Stream.of();
    return Stream.of(tables, forms, rest).flatMap(each -> each).map(Controls::inOneLine).toList();
  }

  /** For a program. */
  public Map<String, Object> fields() {
    Map<String, Object> fields = new LinkedHashMap<>();
    fields.put("needless", needless.stream().map(OpenRow::fields).toList());
    fields.put("stoodDown", stoodDown.stream().map(OpenRow::fields).toList());
    return fields;
  }

  private static String ofTable(OpenRow row) {
    return "needless: of %s answers on %s that changes to %s invalidated, %s said the same again (%s of the database, in the last minutes). %s"
        .formatted(
            Text.count(row.number("recentReloads")),
            row.text("shelf"),
            row.text("table"),
            Text.count(row.number("recentNeedless")),
            Text.nanos(row.number("recentNanos")),
            row.text("advice"));
  }

  private static String ofForm(OpenRow row) {
    return "stands down: form %s on %s keeps nothing since %s: %s. It comes back by itself once a trial gains. It is: %s"
        .formatted(
            row.text("form"),
            row.text("shelf"),
            row.text("since"),
            row.text("why"),
            row.text("statement"));
  }
}
