package dev.warmshelf.bench;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.statement.SqlStatement;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import java.util.concurrent.TimeUnit;
import javax.sql.DataSource;
import org.openjdk.jmh.annotations.Benchmark;
import org.openjdk.jmh.annotations.BenchmarkMode;
import org.openjdk.jmh.annotations.Fork;
import org.openjdk.jmh.annotations.Measurement;
import org.openjdk.jmh.annotations.Mode;
import org.openjdk.jmh.annotations.OutputTimeUnit;
import org.openjdk.jmh.annotations.Scope;
import org.openjdk.jmh.annotations.Setup;
import org.openjdk.jmh.annotations.State;
import org.openjdk.jmh.annotations.TearDown;
import org.openjdk.jmh.annotations.Warmup;

/**
 * What a read of ten rows by plain JDBC takes, from a pool and back: of a kept answer, through the
 * wrapped data source to the database, and without it.
 */
@State(Scope.Benchmark)
@BenchmarkMode(Mode.AverageTime)
@OutputTimeUnit(TimeUnit.NANOSECONDS)
@Warmup(iterations = 5, time = 1)
@Measurement(iterations = 5, time = 1)
@Fork(2)
public class JdbcRead {
  private static final String KEPT = "SELECT id, name, price, day FROM item WHERE part = ?";
  private static final String AROUND = KEPT + " AND id > 0";

  @SuppressWarnings("NullAway.Init")
  private LocalPostgres server;

  @SuppressWarnings("NullAway.Init")
  private HikariDataSource pool;

  @SuppressWarnings("NullAway.Init")
  private WarmShelf warm;

  @SuppressWarnings("NullAway.Init")
  private DataSource wrapped;

  @Setup
  public void open() throws Exception {
    server = LocalPostgres.start();
    DataSource source = server.dataSource("postgres");
    try (Connection connection = source.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(
          "CREATE TABLE item AS SELECT i AS id, i / 10 AS part, 'item ' || i AS name,"
              + " i * 1.25 AS price, date '2026-01-01' + i % 300 AS day"
              + " FROM generate_series(1, 10000) i");
      statement.execute("CREATE INDEX ON item (part)");
      statement.execute("VACUUM ANALYZE item");
    }
    Journal.on(source).install(List.of("item"));
    HikariConfig config = new HikariConfig();
    config.setDataSource(source);
    config.setMaximumPoolSize(4);
    pool = new HikariDataSource(config);
    warm =
        WarmShelf.over(pool)
            .following(JournalFeed.on(source))
            .keeping(Rule.ofForm(SqlStatement.of(KEPT).formDigest()))
            .open();
    wrapped = warm.dataSource();
    long deadline = System.nanoTime() + TimeUnit.SECONDS.toNanos(30);
    while (!isKept()) {
      if (System.nanoTime() > deadline) {
        throw new IllegalStateException("The answer is not kept.");
      }
    }
  }

  private boolean isKept() throws SQLException {
    try (Connection connection = wrapped.getConnection();
        PreparedStatement statement = connection.prepareStatement(KEPT)) {
      statement.setInt(1, 7);
      try (ResultSet result = statement.executeQuery()) {
        return result.isWrapperFor(Reading.class)
            && result.unwrap(Reading.class).origin() == Origin.KEPT;
      }
    }
  }

  @TearDown
  public void close() throws Exception {
    warm.close();
    pool.close();
    server.close();
  }

  /** A kept answer, through the wrapped data source. */
  @Benchmark
  public long kept() throws SQLException {
    return read(wrapped, KEPT);
  }

  /** The same, of which no row is read. */
  @Benchmark
  public boolean keptUnread() throws SQLException {
    try (Connection connection = wrapped.getConnection();
        PreparedStatement statement = connection.prepareStatement(KEPT)) {
      statement.setInt(1, 7);
      try (ResultSet result = statement.executeQuery()) {
        return result.next();
      }
    }
  }

  /** An answer that is not kept, through the wrapped data source. */
  @Benchmark
  public long around() throws SQLException {
    return read(wrapped, AROUND);
  }

  /** The same, through the pool alone. */
  @Benchmark
  public long direct() throws SQLException {
    return read(pool, AROUND);
  }

  private static long read(DataSource source, String sql) throws SQLException {
    long sum = 0;
    try (Connection connection = source.getConnection();
        PreparedStatement statement = connection.prepareStatement(sql)) {
      statement.setInt(1, 7);
      try (ResultSet result = statement.executeQuery()) {
        while (result.next()) {
          sum += result.getInt(1);
          sum += result.getString(2).length();
          sum += result.getBigDecimal(3).intValue();
          sum += result.getObject(4, java.time.LocalDate.class).getDayOfMonth();
        }
      }
    }
    return sum;
  }
}
