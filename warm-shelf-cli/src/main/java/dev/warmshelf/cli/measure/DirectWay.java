package dev.warmshelf.cli.measure;

import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.HeldSize;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.sql.SqlStatement;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.LongAdder;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/** Reads from the database each time, with plain JDBC. */
final class DirectWay implements Way {
  private final DataSource dataSource;
  private final LongAdder reads = new LongAdder();
  private final Map<SqlStatement, String> texts = new ConcurrentHashMap<>();

  DirectWay(DataSource dataSource) {
    this.dataSource = dataSource;
  }

  @Override
  public String name() {
    return WayKind.DIRECT.label();
  }

  @Override
  public Read read(Request request) throws SQLException {
    reads.increment();
    SqlStatement sql = request.query().sql();
    try (Connection connection = dataSource.getConnection();
        PreparedStatement statement =
            connection.prepareStatement(texts.computeIfAbsent(sql, SqlStatement::driverText))) {
      bind(statement, sql, request.inputs());
      try (ResultSet result = statement.executeQuery()) {
        return new Read(Origin.DIRECT, rows(result), 0, () -> true);
      }
    }
  }

  @Override
  public long databaseReads() {
    return reads.sum();
  }

  @Override
  public Optional<Meters.Snapshot> meters() {
    return Optional.empty();
  }

  @Override
  public Map<String, HeldSize> held() {
    return Map.of();
  }

  @Override
  public void close() {}

  static void bind(PreparedStatement statement, SqlStatement sql, Map<String, Object> inputs)
      throws SQLException {
    int[] order = sql.driverOrder();
    for (int i = 0; i < order.length; i++) {
      statement.setObject(i + 1, inputs.get(sql.parameters().get(order[i])));
    }
  }

  static List<Map<String, @Nullable Object>> rows(ResultSet result) throws SQLException {
    ResultSetMetaData meta = result.getMetaData();
    int width = meta.getColumnCount();
    List<Map<String, @Nullable Object>> rows = new ArrayList<>();
    while (result.next()) {
      Map<String, @Nullable Object> row = new HashMap<>();
      for (int i = 1; i <= width; i++) {
        row.put(meta.getColumnLabel(i), result.getObject(i));
      }
      rows.add(row);
    }
    return rows;
  }
}
