package dev.warmshelf.cli.measure;

import dev.warmshelf.meter.CommitLedger;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.scenario.Zipf;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.HashMap;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/**
 * Writes while others read: bookings on popular sailings and their cancellation, sailings delayed
 * or moved to the next day, edited notices, all with plain SQL. A note of every commit goes to the
 * ledger once it has returned.
 *
 * <p>One thread writes, so that a route's newest revision, and the sum of its versions, grow with
 * each of its commits.
 */
final class Writers implements AutoCloseable {
  private static final String BOOK =
      """
      INSERT INTO booking (sailing_id, agent_id, metres, seats, cents, status, booked_at, revision)
      VALUES (?, ?, 4.5, 2, 5550, 'HELD', '2026-05-01Z', nextval('booking_revision'))
      RETURNING revision, (SELECT route_id FROM sailing WHERE id = sailing_id)
      """;

  private static final String CANCEL =
      """
      UPDATE booking SET status = 'CANCELLED', revision = nextval('booking_revision')
      WHERE sailing_id = ? AND id =
            (SELECT max(id) FROM booking WHERE sailing_id = ? AND status = 'HELD')
      RETURNING revision, (SELECT route_id FROM sailing WHERE id = sailing_id)
      """;

  private static final String DELAY =
      "leaves_at = leaves_at + interval '5 minutes', status = 'DELAYED'";
  private static final String MOVE = "leaves_at = leaves_at + interval '1 day', day = day + 1";

  private static final Zipf SAILINGS = new Zipf(2_000, 0.8);

  private final DataSource dataSource;
  private final CommitLedger<Scope> ledger;
  private final Company company;
  private final SplittableRandom random;
  private final long pauseNanos;
  private final Map<Integer, Long> revisions;
  private final Thread thread;
  private volatile boolean closed;
  private volatile long commits;
  private long committed;
  private volatile @Nullable SQLException failure;

  /**
   * @param perSecond commits a second; 0 for none
   */
  Writers(
      DataSource dataSource,
      CommitLedger<Scope> ledger,
      Company company,
      long seed,
      double perSecond) {
    this.dataSource = dataSource;
    this.ledger = ledger;
    this.company = company;
    this.random = new SplittableRandom(seed);
    this.pauseNanos = perSecond > 0 ? (long) (TimeUnit.SECONDS.toNanos(1) / perSecond) : 0;
    this.revisions = new HashMap<>(company.revisions());
    this.thread = new Thread(this::run, "writer");
  }

  void start() {
    if (pauseNanos > 0) {
      thread.start();
    }
  }

  long commits() {
    return commits;
  }

  /** What stopped the writer early, or null. */
  @Nullable SQLException failure() {
    return failure;
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
    try (Connection connection = dataSource.getConnection()) {
      connection.setAutoCommit(false);
      long next = System.nanoTime();
      while (!closed) {
        writeOnce(connection);
        next += pauseNanos;
        while (!closed && System.nanoTime() < next) {
          LockSupport.parkNanos(this, next - System.nanoTime());
        }
      }
    } catch (SQLException e) {
      failure = e;
    }
  }

  private void writeOnce(Connection connection) throws SQLException {
    int dice = random.nextInt(10);
    if (dice < 3) {
      int id = 1 + random.nextInt(3_000);
      long version =
          bump(
              connection,
              "UPDATE notice SET version = version + 1 WHERE id = ? RETURNING version",
              id)[0];
      connection.commit();
      ledger.committed(new Scope(Scope.Kind.NOTICE, id), version, System.nanoTime());
    } else {
      int id = 1 + SAILINGS.draw(random) % company.sailings();
      if (dice < 8) {
        writeBooking(connection, id, dice < 7 ? BOOK : CANCEL);
      } else {
        writeSailing(connection, id, dice < 9 ? DELAY : MOVE);
      }
    }
    commits = ++committed;
  }

  private void writeSailing(Connection connection, int id, String change) throws SQLException {
    long[] made =
        bump(
            connection,
            "UPDATE sailing SET version = version + 1, "
                + change
                + " WHERE id = ? RETURNING version, route_id",
            id);
    connection.commit();
    long returned = System.nanoTime();
    int route = (int) made[1];
    ledger.committed(new Scope(Scope.Kind.SAILING, id), made[0], returned);
    ledger.committed(
        new Scope(Scope.Kind.ROUTE, route), revisions.merge(route, 1L, Long::sum), returned);
  }

  private void writeBooking(Connection connection, int sailing, String sql) throws SQLException {
    long revision;
    int route;
    try (PreparedStatement statement = connection.prepareStatement(sql)) {
      statement.setInt(1, sailing);
      statement.setInt(2, sql.equals(BOOK) ? 1 + random.nextInt(SkerryLine.AGENTS) : sailing);
      try (ResultSet row = statement.executeQuery()) {
        if (!row.next()) {
          connection.rollback(); // nothing to cancel
          return;
        }
        revision = row.getLong(1);
        route = row.getInt(2);
      }
    }
    connection.commit();
    long returned = System.nanoTime();
    ledger.committed(new Scope(Scope.Kind.BOOKED, sailing), revision, returned);
    ledger.committed(new Scope(Scope.Kind.ROUTE_BOOKED, route), revision, returned);
  }

  /** Runs an update of one row; returns its version and, where there is one, its route. */
  private static long[] bump(Connection connection, String sql, int id) throws SQLException {
    try (PreparedStatement update = connection.prepareStatement(sql)) {
      update.setInt(1, id);
      try (ResultSet row = update.executeQuery()) {
        row.next();
        boolean withRoute = row.getMetaData().getColumnCount() > 1;
        return new long[] {row.getLong(1), withRoute ? row.getLong(2) : 0};
      }
    }
  }
}
