package dev.warmshelf.measure.database;

import com.fasterxml.jackson.databind.JsonNode;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Notices a read that an index would serve better: one whose time goes into a sequential scan that
 * throws most rows away. It goes by the plan of one execution ({@code EXPLAIN ANALYZE}), or by the
 * planner's estimates; whether the index is worth its writes is the engineer's to say.
 */
public final class IndexAdvice {
  /** Scans that throw away fewer rows are quick anyway. */
  private static final long FEWEST_REMOVED = 1_000;

  /** An index helps little where more than one row in so many is wanted. */
  private static final int REMOVED_PER_KEPT = 10;

  private static final double LEAST_SHARE_OF_TIME = 0.4;
  private static final String OPERATOR = "\\s*(=|<=|>=|<|>)(?![<>=~])";

  private static final String ROOT_AND_COLUMNS =
      """
      SELECT coalesce(pg_partition_root(c.oid), c.oid)::regclass::text, a.attname, c.reltuples
      FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
           JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
      WHERE n.nspname = ? AND c.relname = ?
      ORDER BY a.attnum
      """;

  private IndexAdvice() {}

  /** A scan, or the scans of one table's partitions together. */
  private record Scan(long kept, long removed, double cost) {
    Scan and(Scan more) {
      return new Scan(kept + more.kept, removed + more.removed, cost + more.cost);
    }
  }

  /** What a filter compares, equal ones first. */
  private record Place(String table, List<String> columns) {
    @Override
    public String toString() {
      return table + " (" + String.join(", ", columns) + ")";
    }
  }

  /**
   * The index that would make this read cheaper, as {@code table (column, ...)}; empty if none is
   * noticed. Executes the read once.
   *
   * @throws SQLException if the database could not be asked
   */
  public static Optional<String> of(Connection connection, DatabaseWork.Sample sample)
      throws SQLException {
    JsonNode plan = ExplainedPlan.of(connection, "ANALYZE, VERBOSE", sample);
    Map<Place, Scan> scans = new LinkedHashMap<>();
    collect(connection, plan.path("Plan"), scans, IndexAdvice::measured);
    return noticed(scans, plan.path("Execution Time").asDouble());
  }

  /**
   * The same by the plan for any values, and by the planner's estimates. Executes nothing.
   *
   * @param text with parameters as {@code $1}
   * @throws SQLException if the planner does not take the text, or may not tell
   */
  public static Optional<String> ofGeneric(Connection connection, String text) throws SQLException {
    JsonNode plan = ExplainedPlan.generic(connection, text).path("Plan");
    Map<Place, Scan> scans = new LinkedHashMap<>();
    collect(connection, plan, scans, IndexAdvice::estimated);
    return noticed(scans, plan.path("Total Cost").asDouble());
  }

  private static Optional<String> noticed(Map<Place, Scan> scans, double all) {
    for (Map.Entry<Place, Scan> each : scans.entrySet()) {
      Scan scan = each.getValue();
      if (scan.removed() >= FEWEST_REMOVED
          && scan.removed() >= REMOVED_PER_KEPT * scan.kept()
          && scan.cost() >= LEAST_SHARE_OF_TIME * all) {
        return Optional.of(each.getKey().toString());
      }
    }
    return Optional.empty();
  }

  private interface Weighing {
    /**
     * @param rows of the table that is scanned, as the planner knows it
     */
    Scan of(JsonNode node, long rows);
  }

  private static Scan measured(JsonNode node, long rows) {
    long loops = node.path("Actual Loops").asLong();
    return new Scan(
        node.path("Actual Rows").asLong() * loops,
        node.path("Rows Removed by Filter").asLong() * loops,
        node.path("Actual Total Time").asDouble());
  }

  private static Scan estimated(JsonNode node, long rows) {
    long kept = node.path("Plan Rows").asLong() * (node.path("Parallel Aware").asBoolean() ? 2 : 1);
    return new Scan(kept, Math.max(0, rows - kept), node.path("Total Cost").asDouble());
  }

  private static void collect(
      Connection connection, JsonNode node, Map<Place, Scan> scans, Weighing weighing)
      throws SQLException {
    if (node.path("Node Type").asText().equals("Seq Scan") && node.has("Filter")) {
      place(connection, node)
          .ifPresent(
              found -> scans.merge(found.place(), weighing.of(node, found.rows()), Scan::and));
    }
    for (JsonNode child : node.path("Plans")) {
      collect(connection, child, scans, weighing);
    }
  }

  private record Found(Place place, long rows) {}

  private static Optional<Found> place(Connection connection, JsonNode node) throws SQLException {
    String table = "";
    long rows = 0;
    List<String> columns = new ArrayList<>();
    try (SystemPath ignored = SystemPath.on(connection);
        PreparedStatement ask = connection.prepareStatement(ROOT_AND_COLUMNS)) {
      ask.setString(1, node.path("Schema").asText());
      ask.setString(2, node.path("Relation Name").asText());
      try (ResultSet row = ask.executeQuery()) {
        while (row.next()) {
          table = row.getString(1).replaceFirst("^public\\.", "");
          columns.add(row.getString(2));
          rows = (long) row.getDouble(3);
        }
      }
    }
    List<String> compared =
        compared(node.path("Filter").asText(), node.path("Alias").asText(), columns);
    return compared.isEmpty()
        ? Optional.empty()
        : Optional.of(new Found(new Place(table, compared), rows));
  }

  /**
   * The columns that a filter compares with {@code =}, then one that it compares otherwise: as many
   * as a B-tree can use (PostgreSQL manual, 11.3). None of a filter with alternatives.
   *
   * @param filter as {@code EXPLAIN} writes it
   */
  static List<String> compared(String filter, String alias, List<String> columns) {
    String plain = filter.replaceAll("'(?:[^']|'')*'", "''");
    if (plain.contains(" OR ")) {
      return List.of();
    }
    Set<String> equal = new HashSet<>();
    List<String> others = new ArrayList<>();
    List<String> found = new ArrayList<>();
    for (String column : columns) {
      String name = "(?:" + Pattern.quote(alias) + "\\.)?" + Pattern.quote(column);
      Matcher matcher =
          Pattern.compile(
                  "(?<![\\w.])"
                      + name
                      + OPERATOR
                      + "|(?<!\\w)\\("
                      + name
                      + "\\)::[\\w ]+?"
                      + OPERATOR)
              .matcher(plain);
      while (matcher.find()) {
        String operator = matcher.group(1) == null ? matcher.group(2) : matcher.group(1);
        if (operator.equals("=") && equal.add(column)) {
          found.add(column);
        } else if (!operator.equals("=") && !others.contains(column)) {
          others.add(column);
        }
      }
    }
    others.removeAll(equal);
    if (!others.isEmpty()) {
      found.add(others.get(0));
    }
    return found;
  }
}
