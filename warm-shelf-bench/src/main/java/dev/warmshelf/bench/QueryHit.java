package dev.warmshelf.bench;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.Computation;
import dev.warmshelf.ReferenceData;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.repository.Kept;
import dev.warmshelf.repository.Repositories;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.shelf.Reading;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
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
 * A hit through the whole query API, through a kept computation and through a wrapped repository,
 * and a lookup in reference data, beside the same query by primary key directly, from a pool, on a
 * PostgreSQL of this machine: the cheapest read there is to compare with.
 */
@State(Scope.Benchmark)
@BenchmarkMode(Mode.AverageTime)
@OutputTimeUnit(TimeUnit.NANOSECONDS)
@Fork(2)
@Warmup(iterations = 4, time = 1)
@Measurement(iterations = 6, time = 1)
public class QueryHit {
  private static final String BY_KEY = "SELECT id, code, name FROM port WHERE id = ";

  /** A row of {@code port}. */
  public record Port(int id, String code, String name) {}

  @SuppressWarnings("NullAway.Init")
  private LocalPostgres server;

  @SuppressWarnings("NullAway.Init")
  private HikariDataSource pool;

  @SuppressWarnings("NullAway.Init")
  private WarmShelf warm;

  @SuppressWarnings("NullAway.Init")
  private ShelvedQuery<Port> port;

  @SuppressWarnings("NullAway.Init")
  private Computation<Port> computation;

  @SuppressWarnings("NullAway.Init")
  private Ports ports;

  @SuppressWarnings("NullAway.Init")
  private ReferenceData.Unique<Integer, Port> byId;

  @SuppressWarnings("NullAway.Init")
  private Map<Integer, Port> map;

  /** A repository. */
  public interface Ports {
    /** By its primary key. */
    @Kept
    Port find(int id) throws SQLException;
  }

  @Setup
  public void start() throws Exception {
    server = LocalPostgres.start();
    SkerryLine.loadTiny(server.dataSource("postgres"));
    Journal.on(server.dataSource("postgres")).install(SkerryLine.FOLLOWED);
    HikariConfig config = new HikariConfig();
    config.setDataSource(server.dataSource("postgres"));
    config.setMaximumPoolSize(4);
    pool = new HikariDataSource(config);
    warm =
        WarmShelf.over(pool)
            .following(JournalFeed.on(pool))
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy.withoutTtl())
            .open();
    port = warm.query(BY_KEY + ":id").as(Port.class);
    port.with("id", 7).list();
    computation = warm.computation("port");
    ports = Repositories.over(warm).wrap(Ports.class, id -> port.with("id", id).only().value());
    computation();
    ports.find(7);
    ReferenceData<Port> all =
        warm.query("SELECT id, code, name FROM port").as(Port.class).asReferenceData();
    byId = all.uniquelyBy(Port::id);
    map = new ConcurrentHashMap<>();
    all.all().forEach(port -> map.put(port.id(), port));
  }

  @TearDown
  public void stop() throws Exception {
    warm.close();
    pool.close();
    server.close();
  }

  @Benchmark
  public Reading<List<Port>> queryHit() throws SQLException {
    return port.with("id", 7).list();
  }

  @Benchmark
  public Reading<Port> computation() throws SQLException {
    return computation.get(() -> port.with("id", 7).only().value(), 7);
  }

  @Benchmark
  public Port repository() throws SQLException {
    return ports.find(7);
  }

  @Benchmark
  public Optional<Port> referenceLookup() throws SQLException {
    return byId.find(7);
  }

  @Benchmark
  public Optional<Port> mapLookup() {
    return Optional.ofNullable(map.get(7));
  }

  @Benchmark
  public Port directByPrimaryKey() throws SQLException {
    try (Connection connection = pool.getConnection();
        PreparedStatement statement = connection.prepareStatement(BY_KEY + "?")) {
      statement.setInt(1, 7);
      try (ResultSet row = statement.executeQuery()) {
        row.next();
        return new Port(row.getInt(1), row.getString(2), row.getString(3));
      }
    }
  }
}
