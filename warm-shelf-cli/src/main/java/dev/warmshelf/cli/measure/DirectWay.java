package dev.warmshelf.cli.measure;

import dev.warmshelf.shelf.Origin;
import dev.warmshelf.sql.SqlStatement;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.OptionalDouble;
import java.util.concurrent.atomic.LongAdder;
import javax.sql.DataSource;

/** Reads from the database each time, with plain JDBC. */
final class DirectWay implements Way {
  private final DataSource dataSource;
  private final LongAdder reads = new LongAdder();
  private final Map<Request.Kind, SqlStatement> statements = new EnumMap<>(Request.Kind.class);

  DirectWay(DataSource dataSource) {
    this.dataSource = dataSource;
    for (Request.Kind kind : Request.Kind.values()) {
      statements.put(kind, SqlStatement.of(kind.sql()));
    }
  }

  @Override
  public String name() {
    return "direct";
  }

  @Override
  public Read read(Request request) throws SQLException {
    reads.increment();
    SqlStatement sql = statements.get(request.kind());
    if (sql == null) {
      throw new IllegalStateException("no statement for " + request.kind());
    }
    List<Map<String, Object>> rows = new ArrayList<>();
    try (Connection connection = dataSource.getConnection();
        PreparedStatement statement = connection.prepareStatement(sql.driverText())) {
      bind(statement, sql, request);
      try (ResultSet result = statement.executeQuery()) {
        int width = result.getMetaData().getColumnCount();
        while (result.next()) {
          Map<String, Object> row = new HashMap<>();
          for (int i = 1; i <= width; i++) {
            row.put(result.getMetaData().getColumnLabel(i), result.getObject(i));
          }
          rows.add(row);
        }
      }
    }
    return Read.of(Origin.DIRECT, () -> new Seen(versions(request, rows), () -> true));
  }

  @Override
  public long databaseReads() {
    return reads.sum();
  }

  @Override
  public OptionalDouble hitRatio() {
    return OptionalDouble.empty();
  }

  @Override
  public void close() {}

  static void bind(PreparedStatement statement, SqlStatement sql, Request request)
      throws SQLException {
    int[] order = sql.driverOrder();
    for (int i = 0; i < order.length; i++) {
      statement.setObject(i + 1, request.parameters().get(sql.parameters().get(order[i])));
    }
  }

  private static Map<Scope, Long> versions(Request request, List<Map<String, Object>> rows) {
    Map<Scope, Long> versions = new HashMap<>();
    for (Map<String, Object> row : rows) {
      int id = (int) number(row, "id");
      switch (request.kind()) {
        case DEPARTURES -> {
          versions.put(new Scope(Scope.Kind.SAILING, id), number(row, "version"));
          versions.put(new Scope(Scope.Kind.BOOKED, id), number(row, "revision"));
        }
        case SAILING -> versions.put(new Scope(Scope.Kind.SAILING, id), number(row, "version"));
        case NOTICES -> versions.put(new Scope(Scope.Kind.NOTICE, id), number(row, "version"));
        case OCCUPANCY -> {
          int route = request.number("route");
          versions.merge(new Scope(Scope.Kind.ROUTE, route), number(row, "version"), Long::sum);
          versions.merge(
              new Scope(Scope.Kind.ROUTE_BOOKED, route), number(row, "revision"), Math::max);
        }
      }
    }
    return versions;
  }

  private static long number(Map<String, Object> row, String column) {
    return row.get(column) instanceof Number number ? number.longValue() : 0;
  }
}
