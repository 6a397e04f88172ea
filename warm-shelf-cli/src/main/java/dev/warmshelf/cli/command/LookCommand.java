package dev.warmshelf.cli.command;

import dev.warmshelf.cli.program.ProgramDesk;
import dev.warmshelf.cli.program.ProgramTarget;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.Json;
import dev.warmshelf.cli.screen.Limits;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.measure.text.TextTable;
import dev.warmshelf.shelf.EntryQuery;
import dev.warmshelf.shelf.EntryQuery.Order;
import java.io.PrintWriter;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.Callable;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

/** {@code shelf look}: what a running program keeps. */
@Command(
    name = "look",
    mixinStandardHelpOptions = true,
    description = {
      "Lists the answers that a running program keeps, those first that have saved most time: the "
          + "beginning of the key's digest, how often it was used at least, what it takes, its age "
          + "and remaining life, whether it may be served or why not, and the question.",
      "With a digest, all of one: its lanes with their last ticks, and its rows, if the shelf's "
          + "policy shows them (it does not by itself)."
    },
    footerHeading = "%nExamples:%n",
    footer = {"  shelf look 12345 --table port --by bytes", "  shelf look 12345 2e53f462eff5"})
public final class LookCommand implements Callable<Integer> {
  private static final int DIGITS = 12;
  private static final int WIDTH = 50;
  private static final int LANES = 12;
  private static final String INDENT = " ".repeat(13);

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Mixin private final ProgramTarget program = new ProgramTarget();

  @Parameters(
      index = "1",
      arity = "0..1",
      paramLabel = "DIGEST",
      description = "The beginning of a key's digest.")
  private @Nullable String digest;

  @Option(names = "--shelf", paramLabel = "NAME", description = "Of one shelf.")
  private String shelf = "";

  @Option(
      names = "--query",
      paramLabel = "FORM",
      description = "Of one query, by its form's digest or the beginning of that.")
  private String query = "";

  @Option(
      names = "--table",
      paramLabel = "NAME",
      description = "What was read from a table, named with its schema or without.")
  private String table = "";

  @Option(
      names = "--by",
      paramLabel = "ORDER",
      description = "Which first: ${COMPLETION-CANDIDATES}. Default: saved.")
  private Order order = Order.SAVED;

  @Option(
      names = "--most",
      paramLabel = "N",
      description = "How many to show, 1000 at most. Default: ${DEFAULT-VALUE}.")
  private int most = 20;

  @Option(names = "--json", description = "Print one JSON object an entry.")
  private boolean json;

  @Override
  public Integer call() throws Failure {
    Limits.require("--most", most, 1, EntryQuery.MOST);
    PrintWriter out = spec.commandLine().getOut();
    List<String> lines = digest == null ? list() : one(digest);
    lines.forEach(out::println);
    out.flush();
    return 0;
  }

  private static String field(Order order) {
    return switch (order) {
      case SAVED -> "savedNanos";
      case USES -> "uses";
      case BYTES -> "bytes";
      case AGE -> "ageNanos";
    };
  }

  private List<String> list() throws Failure {
    List<String> remarks = new ArrayList<>();
    List<ProgramDesk.Page> pages =
        program.ask(
            desk -> {
              remarks.addAll(desk.remarks().lines());
              return desk.look(shelf, query, table, order.name().toLowerCase(Locale.ROOT), most);
            });
    Comparator<Map<String, Object>> first =
        Comparator.comparingLong(entry -> number(entry, field(order)));
    List<Map<String, Object>> shown =
        pages.stream()
            .flatMap(page -> page.shown().stream())
            .sorted(first.reversed())
            .limit(most)
            .toList();
    if (json) {
      return shown.stream().map(entry -> Json.onOneLine(entry)).toList();
    }
    List<String> lines = new ArrayList<>();
    for (ProgramDesk.Page page : pages) {
      if (page.entries() > 0) {
        lines.add(
            "%s: %s entries, %s"
                .formatted(page.shelf(), Text.count(page.entries()), Text.bytes(page.bytes())));
      }
    }
    lines.addAll(remarks);
    if (shown.isEmpty()) {
      lines.add("No such answers are kept.");
      return lines;
    }
    lines.addAll(table(shown));
    return lines;
  }

  private static List<String> table(List<Map<String, Object>> shown) {
    TextTable table =
        new TextTable(
            List.of(
                "key",
                "shelf",
                "saved",
                "uses",
                "rows",
                "bytes",
                "age",
                "left",
                "loaded",
                "now",
                "question"),
            TextTable.Side.LEFT);
    for (Map<String, Object> entry : shown) {
      table.row(
          List.of(
              text(entry, "digest").substring(0, DIGITS),
              text(entry, "shelf"),
              Text.nanos(number(entry, "savedNanos")),
              Text.count(number(entry, "uses")),
              number(entry, "rows") < 0 ? "" : Text.count(number(entry, "rows")),
              Text.bytes(number(entry, "bytes")),
              Text.nanos(number(entry, "ageNanos")),
              left(entry),
              text(entry, "loadedBy"),
              standing(entry),
              Text.cut(question(entry), WIDTH)));
    }
    return table.lines("");
  }

  private List<String> one(String beginning) throws Failure {
    List<Map<String, Object>> found = program.ask(desk -> desk.entry(beginning));
    if (found.isEmpty()) {
      throw new Failure(
          "No key's digest begins with '" + beginning + "'; the answer may have left meanwhile.");
    }
    List<String> lines = new ArrayList<>();
    for (Map<String, Object> entry : found) {
      lines.addAll(json ? List.of(Json.onOneLine(whole(entry))) : details(entry));
    }
    return lines;
  }

  private static List<String> details(Map<String, Object> entry) {
    List<String> lines = new ArrayList<>();
    lines.add("key          " + text(entry, "digest"));
    lines.add("shelf        " + text(entry, "shelf"));
    lines.add("form         " + text(entry, "form"));
    lines.add("statement    " + text(entry, "statement"));
    lines.add("values       " + values(entry));
    lines.add("now          " + standing(entry));
    lines.add("loaded       " + text(entry, "loadedBy"));
    lines.add(
        "age          %s, %s left".formatted(Text.nanos(number(entry, "ageNanos")), left(entry)));
    lines.add(
        "used         at least %s times, last %s ago; %s saved, by a load of %s"
            .formatted(
                Text.count(number(entry, "uses")),
                Text.nanos(number(entry, "idleNanos")),
                Text.nanos(number(entry, "savedNanos")),
                Text.nanos(number(entry, "loadNanos"))));
    lines.add(
        "size         %s, rows %s"
            .formatted(Text.bytes(number(entry, "bytes")), number(entry, "rows")));
    lines.add("fence        " + number(entry, "fence"));
    lines.addAll(lanesInWords(lanes(entry)));
    List<String> columns = texts(entry, "columns");
    if (columns.isEmpty()) {
      lines.add("rows         not shown; the shelf's policy says 'shown: rows' to show them");
    } else {
      lines.addAll(rows(columns, texts(entry, "cells")));
    }
    return lines;
  }

  /** Those first that have changed last; the others are of less use. */
  private static List<String> lanesInWords(List<Lane> lanes) {
    List<String> lines = new ArrayList<>();
    lanes.stream()
        .sorted(Comparator.comparing(Lane::changed).thenComparing(Lane::tick).reversed())
        .limit(LANES)
        .forEach(
            lane ->
                lines.add(
                    lane.name() + ", tick " + lane.tick() + (lane.changed() ? ", changed" : "")));
    if (lanes.size() > LANES) {
      lines.add("and " + (lanes.size() - LANES) + " more, of earlier ticks (--json has all)");
    }
    List<String> labelled = new ArrayList<>();
    lines.forEach(line -> labelled.add((labelled.isEmpty() ? "lanes        " : INDENT) + line));
    return labelled;
  }

  private static List<String> rows(List<String> columns, List<String> cells) {
    TextTable table = new TextTable(columns, TextTable.Side.LEFT);
    for (int at = 0; at < cells.size(); at += columns.size()) {
      table.row(cells.subList(at, at + columns.size()));
    }
    return table.lines("");
  }

  private record Lane(String name, long tick, boolean changed) {}

  private static List<Lane> lanes(Map<String, Object> entry) {
    List<Lane> lanes = new ArrayList<>();
    List<String> names = texts(entry, "lanes");
    Object ticks = entry.get("ticks");
    Object changed = entry.get("changed");
    if (ticks instanceof Long[] ofLane && changed instanceof Boolean[] isChanged) {
      for (int i = 0; i < names.size(); i++) {
        lanes.add(new Lane(names.get(i), ofLane[i], isChanged[i]));
      }
    }
    return lanes;
  }

  private static Map<String, Object> whole(Map<String, Object> entry) {
    Map<String, Object> fields = new LinkedHashMap<>(entry);
    fields.put("lanes", lanes(entry));
    fields.keySet().removeAll(List.of("ticks", "changed"));
    return fields;
  }

  private static String standing(Map<String, Object> entry) {
    return Boolean.TRUE.equals(entry.get("fresh")) ? "fresh" : text(entry, "whyNot");
  }

  private static String left(Map<String, Object> entry) {
    long left = number(entry, "remainingNanos");
    return left == Long.MAX_VALUE ? "no end" : Text.nanos(Math.max(0, left));
  }

  private static String question(Map<String, Object> entry) {
    String values = values(entry);
    return (values.isEmpty() ? "" : values + "  ") + text(entry, "statement");
  }

  private static String values(Map<String, Object> entry) {
    return String.join(", ", texts(entry, "values"));
  }

  private static List<String> texts(Map<String, Object> entry, String name) {
    return entry.get(name) instanceof String[] texts ? List.of(texts) : List.of();
  }

  private static String text(Map<String, Object> entry, String name) {
    return String.valueOf(entry.get(name));
  }

  private static long number(Map<String, Object> entry, String name) {
    return entry.get(name) instanceof Number number ? number.longValue() : -1;
  }
}
