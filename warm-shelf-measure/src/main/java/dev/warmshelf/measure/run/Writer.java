package dev.warmshelf.measure.run;

import dev.warmshelf.measure.database.PlainJdbc;
import dev.warmshelf.measure.workload.DrawnRequests;
import dev.warmshelf.measure.workload.Request;
import dev.warmshelf.measure.workload.VersionedThing;
import dev.warmshelf.measure.workload.Workload;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.trial.CommitLedger;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/**
 * Writes while others read, with plain SQL. What a commit changed, by the rows its statement
 * returned, goes to the ledger once it has returned.
 *
 * <p>One thread writes, so that versions of things that several rows make up, as a route's newest
 * booking, grow in the order of the commits.
 */
final class Writer implements AutoCloseable {
  private final DataSource dataSource;
  private final CommitLedger<VersionedThing> ledger;
  private final LagObserver lags;
  private final DrawnRequests.@Nullable Statements changes;
  private final SplittableRandom random;
  private final long pauseNanos;
  private final Thread thread;
  private final List<Long> commits = new ArrayList<>();
  private volatile boolean closed;
  private volatile @Nullable Exception failure;

  /**
   * @param lags told of each commit once it has returned
   * @param changes what to write; null for nothing
   * @param perSecond commits a second; 0 for none
   */
  Writer(
      DataSource dataSource,
      CommitLedger<VersionedThing> ledger,
      LagObserver lags,
      DrawnRequests.@Nullable Statements changes,
      long seed,
      double perSecond) {
    this.dataSource = dataSource;
    this.ledger = ledger;
    this.lags = lags;
    this.changes = changes;
    this.random = new SplittableRandom(seed);
    this.pauseNanos = perSecond > 0 ? (long) (TimeUnit.SECONDS.toNanos(1) / perSecond) : 0;
    this.thread = new Thread(this::run, "writer");
  }

  /** A writer that writes nothing. */
  static Writer ofNothing(
      DataSource dataSource, CommitLedger<VersionedThing> ledger, LagObserver lags) {
    return new Writer(dataSource, ledger, lags, null, 0, 0);
  }

  void start() {
    if (pauseNanos > 0 && changes != null) {
      thread.start();
    }
  }

  /** When commits returned, on the monotonic clock. */
  List<Long> commits() {
    synchronized (commits) {
      return List.copyOf(commits);
    }
  }

  /**
   * Ends the writing.
   *
   * @throws SQLException what stopped it early
   */
  void finish() throws SQLException {
    close();
    throwIfFailed();
  }

  void throwIfFailed() throws SQLException {
    Exception failed = failure;
    if (failed instanceof SQLException sql) {
      throw sql;
    } else if (failed instanceof RuntimeException other) {
      throw other;
    }
  }

  @Override
  public void close() {
    closed = true;
    LockSupport.unpark(thread);
    try {
      thread.join();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  private void run() {
    DrawnRequests.Statements drawn = java.util.Objects.requireNonNull(changes, "changes");
    try (Connection connection = dataSource.getConnection()) {
      connection.setAutoCommit(false);
      long next = System.nanoTime();
      while (!closed) {
        write(connection, drawn.next(random));
        next += pauseNanos;
        while (!closed && System.nanoTime() < next) {
          LockSupport.parkNanos(this, next - System.nanoTime());
        }
      }
    } catch (SQLException | RuntimeException e) {
      failure = e;
    }
  }

  private void write(Connection connection, Request change) throws SQLException {
    Workload.Statement query = change.query();
    SqlStatement sql = query.sql();
    Map<VersionedThing, Long> versions = new HashMap<>();
    try (PreparedStatement statement = connection.prepareStatement(sql.driverText())) {
      PlainJdbc.bind(statement, sql, change.inputs());
      boolean changed = true;
      if (statement.execute()) {
        try (ResultSet result = statement.getResultSet()) {
          List<Map<String, @Nullable Object>> rows = PlainJdbc.rows(result);
          changed = !rows.isEmpty();
          query.versions().forEach(each -> each.read(rows, change.inputs(), versions));
        }
      }
      if (!changed) {
        connection.rollback(); // nothing there to change
        return;
      }
    }
    ledger.commitBegins();
    try {
      connection.commit();
      long returned = System.nanoTime();
      lags.committed(returned, Instant.now());
      versions.forEach((scope, version) -> ledger.committed(scope, version, returned));
      synchronized (commits) {
        commits.add(returned);
      }
    } finally {
      ledger.commitIsOver();
    }
  }
}
