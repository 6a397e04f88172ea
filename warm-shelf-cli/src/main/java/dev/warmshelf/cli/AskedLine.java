package dev.warmshelf.cli;

import java.util.LinkedHashMap;
import java.util.Map;

/** A query as a running program tells of it: how often it was asked, how it was answered. */
record AskedLine(String name, String form, Outcomes outcomes, String standing, String statement) {
  private static final int PARTS = 7;

  /** How often a shelf had the answer, had to load it, and the database was asked directly. */
  record Outcomes(long hits, long misses, long direct) {
    long all() {
      return hits + misses + direct;
    }
  }

  /** From a line with tabulators between its parts. */
  static AskedLine of(String line) {
    String[] parts = line.split("\t", PARTS);
    Outcomes outcomes =
        new Outcomes(Long.parseLong(parts[2]), Long.parseLong(parts[3]), Long.parseLong(parts[4]));
    return new AskedLine(parts[0], parts[1], outcomes, parts[5], parts[6]);
  }

  /** One that is held, of which nothing is counted. */
  static AskedLine unknown(String form, String statement) {
    return new AskedLine("", form, new Outcomes(0, 0, 0), "", statement);
  }

  /** The same query in two parts of the program. */
  AskedLine and(AskedLine same) {
    Outcomes more = same.outcomes;
    Outcomes both =
        new Outcomes(
            outcomes.hits + more.hits,
            outcomes.misses + more.misses,
            outcomes.direct + more.direct);
    return new AskedLine(name, form, both, standing, statement);
  }

  Map<String, Object> fields() {
    Map<String, Object> fields = new LinkedHashMap<>();
    fields.put("name", name);
    fields.put("form", form);
    fields.put("hits", outcomes.hits());
    fields.put("misses", outcomes.misses());
    fields.put("direct", outcomes.direct());
    fields.put("standing", standing);
    fields.put("statement", statement);
    return fields;
  }
}
