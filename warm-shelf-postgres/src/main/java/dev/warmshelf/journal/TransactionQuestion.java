package dev.warmshelf.journal;

import dev.warmshelf.base.Library;
import dev.warmshelf.database.OwnChanges.Told;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.postgres.driver.SqlState;
import java.sql.Array;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.concurrent.TimeUnit;
import java.util.function.Predicate;
import java.util.stream.Stream;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Asks a transaction what it has written into the journal, before it commits.
 *
 * <p><b>Nothing is asked of it that could make it fail.</b> A savepoint is set first; if anything
 * fails, the transaction goes back there, and the feed tells what it does. Deferred triggers run
 * before the question, since they would write after it; one that fails here fails again at the
 * commit, as it would have. A cursor that outlives the transaction runs its query at the commit;
 * where there is one nothing is known.
 *
 * <p><b>What does it stand on?</b> Somebody else may have moved a row just before, so that answers
 * that still show it are not in the lanes of what the transaction has made of it. So the answer
 * does not count where somebody else may have changed one of the same rows, as the values of their
 * tracked columns tell, or the schema, and the feed has not told of it; what this process has told
 * itself does no harm.
 *
 * <p><b>Is it all?</b> Triggers write nothing while nobody has followed for long. So the answer
 * counts only if writers are awake now, and have been since before the transaction had a number.
 * And it counts only for the installation that the feed follows, and if no row says more than which
 * rows of a table have changed.
 *
 * <p>Thread-safe.
 */
final class TransactionQuestion {
  private static final Logger LOG = LoggerFactory.getLogger(Library.LOG);

  /** A transaction of more is told by the feed, as it comes. */
  static final int MOST_ROWS = 200;

  private static final String SAVEPOINT = "warm_shelf_own";
  private static final String TEXT =
      "SAVEPOINT "
          + SAVEPOINT
          + "; SET CONSTRAINTS ALL IMMEDIATE; SELECT installation, complete, xid, lane, kind, shape,"
          + " rows_before, rows_after, alike, 0, others"
          + " FROM warm_shelf.own_changes(?::pg_catalog.pg_snapshot, "
          + (MOST_ROWS + 1)
          + ")";
  private static final String BACK = "ROLLBACK TO SAVEPOINT " + SAVEPOINT;

  /** After a failure that is likely to come again, nobody asks for so long. */
  private static final long PAUSE_NANOS = TimeUnit.SECONDS.toNanos(10);

  private final NotedRow.Shapes shapes;
  private volatile long pausedUntilNanos = System.nanoTime();
  private volatile boolean refusalTold;

  TransactionQuestion(NotedRow.Shapes shapes) {
    this.shapes = shapes;
  }

  /**
   * Asks.
   *
   * @param delivered the place up to which the feed has told of all
   * @param hasTold whether a transaction of this process has told its changes itself
   * @return null if the feed alone can tell
   */
  @Nullable Told ask(Connection connection, WrittenPlace delivered, Predicate<String> hasTold) {
    if (System.nanoTime() - pausedUntilNanos < 0) {
      return null;
    }
    try (PreparedStatement statement = connection.prepareStatement(TEXT)) {
      statement.setFetchSize(0);
      statement.setString(1, delivered.snapshot());
      statement.execute();
      statement.getMoreResults();
      statement.getMoreResults();
      try (ResultSet rows = statement.getResultSet()) {
        return told(rows, delivered.installation(), hasTold);
      }
    } catch (SQLException | RuntimeException e) {
      goBack(connection, e);
      return null;
    }
  }

  private void goBack(Connection connection, Exception cause) {
    SqlState state = cause instanceof SQLException sql ? SqlState.of(sql) : SqlState.OTHER;
    switch (state) {
      case INSUFFICIENT_PRIVILEGE, INVALID_SCHEMA_NAME, UNDEFINED_FUNCTION -> {
        pausedUntilNanos = System.nanoTime() + PAUSE_NANOS;
        if (!refusalTold) {
          refusalTold = true;
          LOG.info(
              "Commits of this program wait until the feed has told of them, since its role may not"
                  + " ask what its own transactions have changed ({}). GRANT USAGE ON SCHEMA"
                  + " warm_shelf and EXECUTE ON FUNCTION warm_shelf.own_changes(pg_snapshot, int)"
                  + " to it. Told once.",
              cause.getMessage());
        }
      }
      default ->
          LOG.debug("A transaction could not be asked what it has changed; the feed tells.", cause);
    }
    try (Statement statement = connection.createStatement()) {
      statement.execute(BACK);
    } catch (SQLException e) {
      LOG.debug("The transaction cannot go back to where it was; its commit will say why.", e);
    }
  }

  /** The first row says how it is with all, each other one what was changed. */
  private @Nullable Told told(ResultSet rows, String installation, Predicate<String> hasTold)
      throws SQLException {
    rows.next();
    if (!installation.equals(rows.getString(1))
        || !rows.getBoolean(2)
        || !allAreTold(rows.getArray(11), hasTold)) {
      return null;
    }
    String transaction = Objects.requireNonNullElse(rows.getString(3), "");
    List<Change> changes = new ArrayList<>();
    while (rows.next()) {
      Lane lane = lane(rows.getString(4));
      if (lane == null || lane.equals(Lane.SCHEMA)) {
        return null;
      }
      changes.add(NotedRow.read(rows, 3, lane, shapes));
    }
    return changes.size() <= MOST_ROWS ? new Told(transaction, changes) : null;
  }

  private static boolean allAreTold(@Nullable Array others, Predicate<String> hasTold)
      throws SQLException {
    return others == null || Stream.of((String[]) others.getArray()).allMatch(hasTold);
  }

  /** Null for what is no table, such as a clearing. */
  private static @Nullable Lane lane(String written) {
    try {
      return Lane.read(written);
    } catch (IllegalArgumentException e) {
      return null;
    }
  }
}
