package dev.warmshelf.measure.survey;

import dev.warmshelf.lane.Lane;
import dev.warmshelf.measure.database.SystemPath;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.Collection;
import java.util.HashMap;
import java.util.Map;
import java.util.OptionalDouble;

/**
 * How many different values columns have, as the planner knows it ({@code pg_stats}, from the last
 * {@code ANALYZE}; of tables that this role may read).
 */
final class Distinct {
  private static final String ASK =
      """
      SELECT n.nspname, c.relname, s.attname,
             CASE WHEN s.n_distinct > 0 THEN s.n_distinct
                  ELSE -s.n_distinct
                       * CASE WHEN c.relkind = 'p'
                              THEN (SELECT sum(greatest(l.reltuples, 0))
                                    FROM pg_partition_tree(c.oid) t JOIN pg_class l ON l.oid = t.relid
                                    WHERE t.isleaf)
                              ELSE greatest(c.reltuples, 0)
                         END
             END
      FROM pg_class c
           JOIN pg_namespace n ON n.oid = c.relnamespace
           JOIN pg_stats s ON s.schemaname = n.nspname AND s.tablename = c.relname
                              AND s.inherited = (c.relkind = 'p')
      WHERE c.relkind IN ('r', 'p') AND s.n_distinct <> 0
        AND (n.nspname, c.relname) IN (SELECT * FROM unnest(?::text[], ?::text[]))
      """;

  private final Map<Lane, Map<String, Double>> values = new HashMap<>();

  static Distinct of(Connection connection, Collection<Lane> tables) throws SQLException {
    Distinct distinct = new Distinct();
    try (SystemPath ignored = SystemPath.on(connection);
        PreparedStatement asked = connection.prepareStatement(ASK)) {
      String[] schemas = tables.stream().map(each -> each.fields().get(1)).toArray(String[]::new);
      String[] names = tables.stream().map(each -> each.fields().get(2)).toArray(String[]::new);
      asked.setArray(1, connection.createArrayOf("text", schemas));
      asked.setArray(2, connection.createArrayOf("text", names));
      try (ResultSet row = asked.executeQuery()) {
        while (row.next()) {
          distinct
              .values
              .computeIfAbsent(
                  Lane.ofTable(row.getString(1), row.getString(2)), table -> new HashMap<>())
              .put(row.getString(3), Math.max(1, row.getDouble(4)));
        }
      }
    }
    return distinct;
  }

  /** Empty if nobody knows. */
  OptionalDouble of(Lane table, String column) {
    Double known = values.getOrDefault(table, Map.of()).get(column);
    return known == null ? OptionalDouble.empty() : OptionalDouble.of(known);
  }
}
