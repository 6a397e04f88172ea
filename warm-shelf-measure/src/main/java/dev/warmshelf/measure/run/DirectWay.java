package dev.warmshelf.measure.run;

import dev.warmshelf.measure.database.PlainJdbc;
import dev.warmshelf.measure.figures.WayKind;
import dev.warmshelf.measure.workload.Request;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.read.HeldSize;
import dev.warmshelf.statement.SqlStatement;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.LongAdder;
import javax.sql.DataSource;

/** Reads from the database each time, with plain JDBC. */
final class DirectWay implements Way {
  private final DataSource dataSource;
  private final LongAdder reads = new LongAdder();
  private final Map<SqlStatement, String> texts = new ConcurrentHashMap<>();

  DirectWay(DataSource dataSource) {
    this.dataSource = dataSource;
  }

  @Override
  public WayKind kind() {
    return WayKind.DIRECT;
  }

  @Override
  public Read read(Request request) throws SQLException {
    reads.increment();
    SqlStatement sql = request.query().sql();
    try (Connection connection = dataSource.getConnection();
        PreparedStatement statement =
            connection.prepareStatement(texts.computeIfAbsent(sql, SqlStatement::driverText))) {
      PlainJdbc.bind(statement, sql, request.inputs());
      try (ResultSet result = statement.executeQuery()) {
        return new Read(Origin.DIRECT, PlainJdbc.rows(result), 0, false, () -> true);
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
}
