package dev.warmshelf.shelf;

import java.util.LinkedHashMap;
import java.util.Map;

/**
 * A statement that was asked, with all that ask the same: by a query, or through {@code
 * WarmShelf.dataSource()}.
 *
 * @param name as the engineer named the query ({@code QueryDraft.named}); empty if it has none
 * @param formDigest by which rules name it
 * @param normalForm what all that ask the same have
 * @param outcomes how often it was answered, and how
 * @param standing what becomes of its answers, in words
 */
public record AskedStatement(
    String name, String formDigest, String normalForm, Outcomes outcomes, String standing) {
  public static final String NO_RULE = "no rule fits";

  /**
   * How executions ended, as they count them.
   *
   * @param hits a shelf had the answer
   * @param misses a shelf loaded it, or had part of it, or shared somebody's load
   * @param direct the database answered, past any shelf
   */
  public record Outcomes(long hits, long misses, long direct) {
    /** These and others. */
    public Outcomes and(Outcomes more) {
      return new Outcomes(hits + more.hits, misses + more.misses, direct + more.direct);
    }

    /** All together. */
    public long all() {
      return hits + misses + direct;
    }
  }

  /** All of it, by the names under which it is shown: over JMX, in JSON, on the live page. */
  public Map<String, Object> fields() {
    Map<String, Object> fields = new LinkedHashMap<>();
    fields.put("name", name);
    fields.put("form", formDigest);
    fields.put("hits", outcomes.hits());
    fields.put("misses", outcomes.misses());
    fields.put("direct", outcomes.direct());
    fields.put("standing", standing);
    fields.put("statement", normalForm);
    return fields;
  }

  /** By its name, or if it has none by its form's digest. */
  public String label() {
    return name.isEmpty() ? formDigest : name;
  }
}
