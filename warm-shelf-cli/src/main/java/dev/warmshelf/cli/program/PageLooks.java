package dev.warmshelf.cli.program;

import dev.warmshelf.cli.program.ProgramDesk.Held;
import dev.warmshelf.cli.program.ProgramMeters.Look;
import dev.warmshelf.cli.program.ProgramMeters.Meters;
import dev.warmshelf.cli.screen.Json;
import dev.warmshelf.shelf.AskedStatement;
import dev.warmshelf.shelf.AskedStatement.Outcomes;
import java.util.ArrayDeque;
import java.util.Comparator;
import java.util.Deque;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * What the live page shows of a program: the looks of half an hour, as far as they are drawn; the
 * newest as it is; and the queries. Thread-safe.
 */
public final class PageLooks {
  private static final int MOST_LOOKS = 1_860;
  private static final int MOST_QUERIES = 200;

  /** What is drawn over time; of the rest the newest is enough. */
  private static final Set<String> DRAWN =
      Set.of(
          "Lookups",
          "Hits",
          "Misses",
          "Bypassed",
          "Invalidated",
          "Needless",
          "Evicted",
          "HitCount",
          "HitTotalNanos",
          "LoadCount",
          "LoadTotalNanos",
          "BypassCount",
          "BypassTotalNanos");

  private final String program;
  private final Deque<Numbered> looks = new ArrayDeque<>();
  private Map<String, Object> newest = Map.of();
  private Map<String, Long> entries = Map.of();
  private List<Map<String, Object>> queries = List.of();
  private long next;

  private record Numbered(long n, Map<String, Object> look) {}

  public PageLooks(String program) {
    this.program = program;
  }

  /**
   * One more look.
   *
   * @param atMillis by the clock
   * @param health of each part of the program
   * @param remarks of the program
   */
  public synchronized void add(
      long atMillis, Look look, List<Map<String, Object>> health, Remarks remarks) {
    Map<String, Object> drawn = new LinkedHashMap<>();
    drawn.put("n", next);
    drawn.put("at", atMillis);
    drawn.put("nanos", look.nanos());
    Map<String, Object> shelves = new LinkedHashMap<>();
    Map<String, Object> whole = new LinkedHashMap<>();
    named(look.shelves())
        .forEach(
            (name, meters) -> {
              Map<String, Object> some = new LinkedHashMap<>(meters.attributes());
              some.keySet().retainAll(DRAWN);
              shelves.put(name, some);
              whole.put(name, meters.attributes());
            });
    drawn.put("shelves", shelves);
    Map<String, Object> feeds = new LinkedHashMap<>();
    look.feeds().forEach((part, feed) -> feeds.put(part, feed.attributes()));
    drawn.put("feeds", feeds);
    drawn.put("entries", entries);
    looks.add(new Numbered(next++, drawn));
    if (looks.size() > MOST_LOOKS) {
      looks.remove();
    }
    newest =
        Map.of(
            "shelves", whole,
            "health", health.stream().map(PageLooks::words).toList(),
            "remarks", remarks.lines());
  }

  /** By their names, with the part of the program before them where one name is two shelves'. */
  private static Map<String, Meters> named(Map<String, Meters> shelves) {
    Map<String, Integer> known = new HashMap<>();
    shelves.values().forEach(meters -> known.merge(meters.text("Name"), 1, Integer::sum));
    Map<String, Meters> named = new LinkedHashMap<>();
    shelves.forEach(
        (id, meters) -> {
          String name = meters.text("Name");
          named.put(Integer.valueOf(1).equals(known.get(name)) ? name : id, meters);
        });
    return named;
  }

  private static Map<String, Object> words(Map<String, Object> part) {
    return Map.of(
        "well", Boolean.TRUE.equals(part.get("IsWell")), "words", HealthInWords.inWords(part, ""));
  }

  /**
   * What the program asks, and what is held of it.
   *
   * @param held by form
   */
  public synchronized void queries(List<AskedStatement> asked, Map<String, Held> held) {
    Map<List<String>, AskedStatement> merged = new LinkedHashMap<>();
    asked.forEach(
        each ->
            merged.merge(
                List.of(each.name(), each.formDigest(), each.standing()), each, PageLooks::both));
    Map<String, Held> left = new LinkedHashMap<>(held);
    asked.forEach(each -> left.remove(each.formDigest()));
    left.forEach((form, some) -> merged.put(List.of(form), uncounted(form, some.statement())));
    List<Map<String, Object>> all =
        merged.values().stream()
            .sorted(Comparator.comparingLong(each -> -each.outcomes().all()))
            .limit(MOST_QUERIES)
            .map(each -> query(each, held.get(each.formDigest())))
            .toList();
    Map<String, Long> now = new LinkedHashMap<>();
    held.forEach((form, some) -> now.put(form, some.entries()));
    queries = all;
    entries = now;
  }

  /** The same query in two parts of the program. */
  private static AskedStatement both(AskedStatement one, AskedStatement other) {
    Outcomes outcomes = one.outcomes().and(other.outcomes());
    return new AskedStatement(
        one.name(), one.formDigest(), one.normalForm(), outcomes, one.standing());
  }

  /** One that is held, of which nothing is counted. */
  private static AskedStatement uncounted(String form, String statement) {
    return new AskedStatement("", form, statement, new Outcomes(0, 0, 0), "");
  }

  private static Map<String, Object> query(AskedStatement asked, @Nullable Held held) {
    Map<String, Object> fields = asked.fields();
    fields.put("entries", held == null ? 0 : held.entries());
    fields.put("bytes", held == null ? 0 : held.bytes());
    return fields;
  }

  /** All later looks than one, as JSON. */
  synchronized String after(long n) {
    Map<String, Object> answer = new LinkedHashMap<>();
    answer.put("program", program);
    answer.put("looks", looks.stream().filter(look -> look.n() > n).map(Numbered::look).toList());
    answer.put("newest", newest);
    answer.put("queries", queries);
    return Json.onOneLine(answer);
  }
}
