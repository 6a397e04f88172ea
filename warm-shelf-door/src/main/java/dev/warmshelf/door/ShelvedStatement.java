package dev.warmshelf.door;

import dev.warmshelf.postgres.driver.SqlState;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.SQLWarning;
import java.sql.Statement;
import java.util.EnumSet;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * A statement that is made on the database's connection only when the database must be asked. Of
 * what it was told before, it tells then. What it was told that is not understood makes it one that
 * the database answers.
 */
class ShelvedStatement extends DelegatingStatement {
  private final ShelvedConnection connection;
  private final StatementShape shape;
  private final Set<Told> told = EnumSet.noneOf(Told.class);
  private @Nullable Statement made;
  private @Nullable KeptResultSet kept;

  /** What the last execution gave; to be closed before the next, if its user has not. */
  private @Nullable KeptResultSet given;

  /** The wrapper of the database's result set that was given last. */
  private @Nullable ShelvedResultSet passed;

  /** Whether what was executed last was answered by a shelf, so that it has no more results. */
  private boolean answered;

  /** Whether the database has been asked last, so that there may be results of its own. */
  private boolean hasResults;

  private boolean closed;

  /** Something said of it in the face of which the database is asked. */
  private enum Told {
    FETCH_SIZE,
    MAX_ROWS,
    MAX_FIELD_SIZE,
    TIMEOUT,
    ESCAPES,
    CURSOR,
    DIRECTION,
    BATCH,
    COMPLETION
  }

  /** Something done with the statement on the database's connection. */
  @FunctionalInterface
  interface Doing<V> {
    V run() throws SQLException;
  }

  ShelvedStatement(ShelvedConnection connection, StatementShape shape) {
    this.connection = connection;
    this.shape = shape;
  }

  @Override
  final ShelvedConnection owner() {
    return connection;
  }

  /** The database's statement, made now if there is none. */
  @Override
  Statement delegate() throws SQLException {
    Statement known = made;
    if (known == null) {
      if (closed) {
        throw new SQLException(
            "This statement has been closed.", SqlState.OBJECT_NOT_IN_PREREQUISITE_STATE.code());
      }
      known = shape.making().on(connection.real());
      made = known;
    }
    return known;
  }

  /** What a shelf has answered last, and is still open. */
  final @Nullable KeptResultSet current() throws SQLException {
    KeptResultSet current = kept;
    return current == null || current.isClosed() ? null : current;
  }

  final boolean isMade() {
    return made != null;
  }

  /** The answer of a shelf; null if the database is to be asked. */
  final @Nullable ResultSet fromShelf(StatementFacts facts, Parameters bound) throws SQLException {
    if (closed || !shape.plain() || !told.isEmpty() || !facts.mayBeKept()) {
      return null;
    }
    ended();
    closeResults();
    KeptResultSet shown = isClosed() ? null : connection.kept(facts, bound, this);
    if (shown == null) {
      return null;
    }
    given = shown;
    kept = shown;
    answered = true;
    return given;
  }

  /** Has the database asked. */
  final <V> V around(@Nullable StatementFacts facts, @Nullable Parameters bound, Doing<V> doing)
      throws SQLException {
    delegate();
    ended();
    hasResults = true;
    connection.sends(facts, bound);
    try {
      V result = doing.run();
      connection.answered();
      return result;
    } finally {
      connection.sent();
    }
  }

  private <V> V around(String sql, Doing<V> doing) throws SQLException {
    return around(connection.facts(sql), Parameters.NONE, doing);
  }

  /** What was executed last has no results any more. */
  private void ended() throws SQLException {
    KeptResultSet before = given;
    given = null;
    passed = null;
    answered = false;
    if (before == null) {
      return;
    } else if (before == kept) {
      before.close(); // which completes it, to the driver
    } else {
      before.delegate().close();
    }
    kept = null;
  }

  /** Closes what the database has given, as it would if it were asked again. */
  private void closeResults() throws SQLException {
    Statement known = made;
    if (known != null && hasResults) {
      hasResults = false;
      boolean more = true;
      while (more) {
        more = known.getMoreResults(CLOSE_ALL_RESULTS) || known.getUpdateCount() >= 0;
      }
    }
  }

  /** A kept result set has been closed by its user. */
  void isDone(KeptResultSet result) throws SQLException {
    if (result == kept && told.contains(Told.COMPLETION)) {
      close();
    }
  }

  final ResultSet passed(ResultSet result) {
    ShelvedResultSet before = passed;
    if (before != null && before.delegate() == result) {
      return before;
    }
    ShelvedResultSet made = new ShelvedResultSet(result, this);
    passed = made;
    return made;
  }

  /** Notes what was said of it. */
  private void tell(Told what, boolean usual) {
    if (usual) {
      told.remove(what);
    } else {
      told.add(what);
    }
  }

  /** Whether the database's statement need not hear of it. */
  private boolean saysNothing(boolean usual) {
    return usual && isUntold();
  }

  @Override
  public ResultSet executeQuery(String sql) throws SQLException {
    StatementFacts facts = connection.facts(sql);
    ResultSet answer = fromShelf(facts, Parameters.NONE);
    return answer != null
        ? answer
        : passed(around(facts, Parameters.NONE, () -> delegate().executeQuery(sql)));
  }

  @Override
  public boolean execute(String sql) throws SQLException {
    StatementFacts facts = connection.facts(sql);
    return fromShelf(facts, Parameters.NONE) != null
        || around(facts, Parameters.NONE, () -> delegate().execute(sql));
  }

  @Override
  public boolean execute(String sql, int keys) throws SQLException {
    return around(sql, () -> delegate().execute(sql, keys));
  }

  @Override
  public boolean execute(String sql, int[] keys) throws SQLException {
    return around(sql, () -> delegate().execute(sql, keys));
  }

  @Override
  public boolean execute(String sql, String[] keys) throws SQLException {
    return around(sql, () -> delegate().execute(sql, keys));
  }

  @Override
  public int executeUpdate(String sql) throws SQLException {
    return around(sql, () -> delegate().executeUpdate(sql));
  }

  @Override
  public int executeUpdate(String sql, int keys) throws SQLException {
    return around(sql, () -> delegate().executeUpdate(sql, keys));
  }

  @Override
  public int executeUpdate(String sql, int[] keys) throws SQLException {
    return around(sql, () -> delegate().executeUpdate(sql, keys));
  }

  @Override
  public int executeUpdate(String sql, String[] keys) throws SQLException {
    return around(sql, () -> delegate().executeUpdate(sql, keys));
  }

  @Override
  public long executeLargeUpdate(String sql) throws SQLException {
    return around(sql, () -> delegate().executeLargeUpdate(sql));
  }

  @Override
  public long executeLargeUpdate(String sql, int keys) throws SQLException {
    return around(sql, () -> delegate().executeLargeUpdate(sql, keys));
  }

  @Override
  public long executeLargeUpdate(String sql, int[] keys) throws SQLException {
    return around(sql, () -> delegate().executeLargeUpdate(sql, keys));
  }

  @Override
  public long executeLargeUpdate(String sql, String[] keys) throws SQLException {
    return around(sql, () -> delegate().executeLargeUpdate(sql, keys));
  }

  @Override
  public void addBatch(String sql) throws SQLException {
    tell(Told.BATCH, false);
    super.addBatch(sql);
  }

  @Override
  public void clearBatch() throws SQLException {
    tell(Told.BATCH, true);
    super.clearBatch();
  }

  @Override
  public int[] executeBatch() throws SQLException {
    return batched(() -> delegate().executeBatch());
  }

  @Override
  public long[] executeLargeBatch() throws SQLException {
    return batched(() -> delegate().executeLargeBatch());
  }

  /** The batch is empty then. */
  private <V> V batched(Doing<V> doing) throws SQLException {
    V result = around(null, null, doing);
    tell(Told.BATCH, true);
    return result;
  }

  @Override
  public @Nullable ResultSet getResultSet() throws SQLException {
    if (answered || isUntold()) {
      return kept;
    }
    ResultSet result = delegate().getResultSet();
    return result == null ? null : passed(result);
  }

  @Override
  public ResultSet getGeneratedKeys() throws SQLException {
    return new ShelvedResultSet(delegate().getGeneratedKeys(), this);
  }

  @Override
  public int getUpdateCount() throws SQLException {
    return (answered || isUntold()) ? -1 : super.getUpdateCount();
  }

  @Override
  public long getLargeUpdateCount() throws SQLException {
    return (answered || isUntold()) ? -1 : super.getLargeUpdateCount();
  }

  @Override
  public boolean getMoreResults() throws SQLException {
    return (answered || isUntold())
        ? getMoreResults(CLOSE_ALL_RESULTS) // as the driver does
        : super.getMoreResults();
  }

  @Override
  public boolean getMoreResults(int current) throws SQLException {
    if (!answered && !isUntold()) {
      return super.getMoreResults(current);
    }
    KeptResultSet before = current == CLOSE_ALL_RESULTS ? given : kept;
    kept = null;
    if (before != null && current != KEEP_CURRENT_RESULT) {
      before.close();
    }
    return false;
  }

  @Override
  public @Nullable SQLWarning getWarnings() throws SQLException {
    if (!answered) {
      return isUntold() ? null : super.getWarnings();
    }
    KeptResultSet current = kept;
    return current == null ? null : current.said();
  }

  @Override
  public void clearWarnings() throws SQLException {
    if (isMade()) {
      super.clearWarnings();
    }
    KeptResultSet current = kept;
    if (current != null) {
      current.isHeard();
    }
  }

  /** Whether it is as it was made, so that the database's statement need not be asked. */
  private boolean isUntold() {
    return made == null && !closed;
  }

  @Override
  public int getFetchSize() throws SQLException {
    return isMade() ? super.getFetchSize() : 0;
  }

  @Override
  public int getResultSetType() throws SQLException {
    return isMade() ? super.getResultSetType() : ResultSet.TYPE_FORWARD_ONLY;
  }

  @Override
  public int getResultSetConcurrency() throws SQLException {
    return isMade() ? super.getResultSetConcurrency() : ResultSet.CONCUR_READ_ONLY;
  }

  @Override
  public int getMaxRows() throws SQLException {
    return isUntold() ? 0 : super.getMaxRows();
  }

  @Override
  public int getQueryTimeout() throws SQLException {
    return isUntold() ? 0 : super.getQueryTimeout();
  }

  @Override
  public void setFetchSize(int rows) throws SQLException {
    if (!saysNothing(rows == 0)) {
      super.setFetchSize(rows);
    }
    tell(Told.FETCH_SIZE, rows == 0);
  }

  @Override
  public void setMaxRows(int rows) throws SQLException {
    if (!saysNothing(rows == 0)) {
      super.setMaxRows(rows);
    }
    tell(Told.MAX_ROWS, rows == 0);
  }

  @Override
  public void setLargeMaxRows(long rows) throws SQLException {
    super.setLargeMaxRows(rows);
    tell(Told.MAX_ROWS, rows == 0);
  }

  @Override
  public void setMaxFieldSize(int most) throws SQLException {
    if (!saysNothing(most == 0)) {
      super.setMaxFieldSize(most);
    }
    tell(Told.MAX_FIELD_SIZE, most == 0);
  }

  @Override
  public void setQueryTimeout(int seconds) throws SQLException {
    if (!saysNothing(seconds == 0)) {
      super.setQueryTimeout(seconds);
    }
    tell(Told.TIMEOUT, seconds == 0);
  }

  @Override
  public void setEscapeProcessing(boolean enable) throws SQLException {
    if (!saysNothing(enable)) {
      super.setEscapeProcessing(enable);
    }
    tell(Told.ESCAPES, enable);
  }

  @Override
  public void setCursorName(String name) throws SQLException {
    super.setCursorName(name);
    tell(Told.CURSOR, false);
  }

  @Override
  public void setFetchDirection(int direction) throws SQLException {
    if (!saysNothing(direction == ResultSet.FETCH_FORWARD)) {
      super.setFetchDirection(direction);
    }
    tell(Told.DIRECTION, direction == ResultSet.FETCH_FORWARD);
  }

  /** From now on the driver must know of each result. */
  @Override
  public void closeOnCompletion() throws SQLException {
    super.closeOnCompletion();
    tell(Told.COMPLETION, false);
  }

  @Override
  public boolean isCloseOnCompletion() throws SQLException {
    return isMade() && super.isCloseOnCompletion();
  }

  @Override
  public void cancel() throws SQLException {
    if (!isUntold()) {
      super.cancel();
    }
  }

  @Override
  public Connection getConnection() throws SQLException {
    if (!isUntold()) {
      delegate().getConnection(); // fails if it is closed
    }
    return connection;
  }

  @Override
  public boolean isClosed() throws SQLException {
    Statement known = made;
    return closed || (known != null && known.isClosed());
  }

  @Override
  public void close() throws SQLException {
    if (!closed) {
      closed = true;
      ended();
      connection.forget(this);
      Statement known = made;
      if (known != null) {
        known.close();
      }
    }
  }

  @Override
  public <T> T unwrap(Class<T> type) throws SQLException {
    if (type.isInstance(this)) {
      return type.cast(this);
    }
    isHandedOut();
    return super.unwrap(type);
  }

  @Override
  public boolean isWrapperFor(Class<?> type) throws SQLException {
    return type.isInstance(this) || super.isWrapperFor(type);
  }

  @Override
  public String toString() {
    return made == null ? "a statement that the database has not seen" : made.toString();
  }
}
