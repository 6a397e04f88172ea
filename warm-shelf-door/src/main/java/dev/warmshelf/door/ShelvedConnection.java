package dev.warmshelf.door;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.caller.ConnectionState;
import dev.warmshelf.postgres.driver.DriverAnswer;
import dev.warmshelf.postgres.driver.DriverConnection;
import dev.warmshelf.postgres.driver.Maker;
import dev.warmshelf.postgres.driver.SqlState;
import dev.warmshelf.shelf.Reading;
import java.sql.Array;
import java.sql.Blob;
import java.sql.CallableStatement;
import java.sql.Clob;
import java.sql.Connection;
import java.sql.DatabaseMetaData;
import java.sql.PreparedStatement;
import java.sql.Ref;
import java.sql.ResultSet;
import java.sql.SQLClientInfoException;
import java.sql.SQLException;
import java.sql.SQLWarning;
import java.sql.Savepoint;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Properties;
import org.jspecify.annotations.Nullable;

/**
 * A connection that takes one of the database's only when the database must be asked. What was set
 * before, it sets then. What goes on on the database's connection is told to the shelves: what was
 * sent, and after each execution what the server said of the transaction.
 */
final class ShelvedConnection extends DelegatingConnection {
  private final ShelvedDataSource.Opened source;
  private final Borrowing borrowing;
  private final ConnectionState state;
  private final Dialogue dialogue;
  private final List<ShelvedStatement> statements = new ArrayList<>();
  private @Nullable Connection real;
  private @Nullable DriverConnection drivers;
  private @Nullable Maker maker;
  private boolean closed;
  private boolean autoCommit;
  private @Nullable Boolean readOnly;
  private @Nullable Integer isolation;

  /** Whether a shelf has answered in a transaction that the server knows nothing of yet. */
  private boolean begun;

  /** Gives a connection of the database's. */
  @FunctionalInterface
  interface Borrowing {
    Connection borrow() throws SQLException;
  }

  ShelvedConnection(ShelvedDataSource.Opened source, Borrowing borrowing) {
    this.source = source;
    this.borrowing = borrowing;
    this.autoCommit = source.usual().autoCommit();
    this.state = new ConnectionState(autoCommit, source.usual().isolation());
    this.dialogue = source.shelves().begin(state, () -> real);
  }

  StatementFacts facts(String sql) {
    return source.shelves().facts(sql);
  }

  boolean stringsAreTyped() {
    return source.usual().stringsAreTyped();
  }

  /**
   * The answer of a shelf; null if the database is to be asked, as whenever anything fails here
   * that is not the database. What must be asked of that fails as the caller's own statement would.
   */
  @Nullable KeptResultSet kept(StatementFacts facts, Parameters bound, ShelvedStatement statement)
      throws SQLException {
    try {
      Reading<Answer> reading = read(facts, bound);
      return reading == null ? null : resultSet(reading, statement);
    } catch (RuntimeException | LinkageError e) {
      dialogue.hasFailed(e);
      return null;
    }
  }

  private @Nullable Reading<Answer> read(StatementFacts facts, Parameters bound)
      throws SQLException {
    if (isClosed()) {
      return null;
    }
    look();
    try {
      return dialogue.read(facts, bound);
    } finally {
      sent();
    }
  }

  /**
   * How the transaction is, as the server has said with whatever was done last. Of a connection
   * that has been lost it is over, and nobody knows how it ended.
   */
  private void look() {
    DriverConnection own = drivers;
    if (own != null) {
      state.isOnServer(own.isWithin(), own.hasFailed());
    }
  }

  @Override
  Connection delegate() throws SQLException {
    return real();
  }

  /** The database's connection, taken now if there is none. */
  Connection real() throws SQLException {
    Connection known = real;
    if (known != null) {
      return known;
    } else if (closed) {
      throw new SQLException(
          "This connection has been closed.", SqlState.CONNECTION_DOES_NOT_EXIST.code());
    }
    Connection taken = borrowing.borrow();
    boolean done = false;
    try {
      drivers = DriverConnection.behind(taken);
      if (readOnly != null) {
        taken.setReadOnly(readOnly);
      }
      if (isolation != null) {
        taken.setTransactionIsolation(isolation);
      }
      if (taken.getAutoCommit() != autoCommit) {
        taken.setAutoCommit(autoCommit);
      }
      done = true;
    } finally { // after an error, too, somebody must give it back
      if (!done) {
        taken.close();
      }
    }
    real = taken;
    return taken;
  }

  /** A result set of a kept answer, made by the caller's own connection if it has one. */
  private KeptResultSet resultSet(Reading<Answer> reading, ShelvedStatement statement)
      throws SQLException {
    DriverAnswer answer = (DriverAnswer) reading.value();
    if (real == null && !answer.isSimple()) {
      real();
    }
    if (!autoCommit && real == null) {
      begun = true;
    }
    boolean isOwn = real != null;
    ResultSet made = answer.on(isOwn ? maker() : source.maker());
    return new KeptResultSet(made, statement, reading, isOwn);
  }

  /** A statement on the connection, taken now if there is none, that makes result sets. */
  Maker maker() throws SQLException {
    Maker known = maker;
    if (known == null) {
      real();
      DriverConnection own = drivers;
      if (own == null) {
        throw new SQLException("This connection is none of PostgreSQL's driver.");
      }
      known = own.maker();
      maker = known;
    }
    return known;
  }

  /** A statement is about to be executed. */
  void sends(@Nullable StatementFacts facts, @Nullable Parameters bound) {
    dialogue.sends(facts, bound);
  }

  /** What was sent last was answered without an error. */
  void answered() {
    dialogue.answered();
  }

  /** Something was executed, or the transaction was ended. */
  void sent() {
    if (real != null) {
      look();
      dialogue.sent();
    }
  }

  @Override
  ShelvedConnection owner() {
    return this;
  }

  @Override
  void isHandedOut() {
    dialogue.isHandedOut();
  }

  /** What the driver has given, wrapped if it leads to its connection. */
  @Nullable Object wrapped(@Nullable Object given) throws SQLException {
    if (given instanceof Array array) {
      return wrapped(array);
    } else if (given instanceof ResultSet cursor) {
      isHandedOut(); // the driver has run what nobody knows, to read it
      return wrapped(cursor);
    } else if (given instanceof Blob object) {
      return wrapped(object);
    } else if (given instanceof Clob object) {
      return wrapped(object);
    } else if (given instanceof Ref) {
      isHandedOut();
    }
    return given;
  }

  @Nullable Blob wrapped(@Nullable Blob object) {
    readsOtherwise();
    return object == null ? null : new ShelvedBlob(object, this);
  }

  @Nullable Clob wrapped(@Nullable Clob object) {
    readsOtherwise();
    return object == null ? null : new ShelvedClob(object, this);
  }

  /** The driver's own of what is bound, if it is one of ours. */
  static @Nullable Object unwrapped(@Nullable Object value) {
    return ShelvedArray.unwrapped(ShelvedBlob.unwrapped(ShelvedClob.unwrapped(value)));
  }

  /** The same of a type that was asked for, if what wraps it is one. */
  <T> @Nullable T wrapped(@Nullable T given, Class<T> type) throws SQLException {
    Object wrapped = wrapped(given);
    if (wrapped == given || type.isInstance(wrapped)) {
      return type.cast(wrapped);
    }
    isHandedOut();
    return given;
  }

  @Nullable Array wrapped(@Nullable Array array) {
    return array == null ? null : new ShelvedArray(array, this);
  }

  /** A result set of the driver's own making, with a statement of ours for its own. */
  ResultSet wrapped(ResultSet result) throws SQLException {
    Statement its = result.getStatement();
    StatementShape shape = new StatementShape(false, connection -> its);
    return new ShelvedResultSet(result, with(new ShelvedStatement(this, shape)));
  }

  @Override
  public Array createArrayOf(String type, Object @Nullable [] elements) throws SQLException {
    return new ShelvedArray(super.createArrayOf(type, elements), this);
  }

  /** Something is about to be read by no statement of the caller's. */
  void readsOtherwise() {
    dialogue.readsOtherwise();
  }

  void forget(ShelvedStatement statement) {
    statements.remove(statement);
  }

  private <S extends ShelvedStatement> S with(S statement) {
    statements.add(statement);
    return statement;
  }

  /** Fails as the driver does, if the connection was closed or has been lost. */
  private void requireOpen() throws SQLException {
    if (isClosed()) {
      real().createStatement().close();
    }
  }

  @Override
  public Statement createStatement() throws SQLException {
    requireOpen();
    return with(new ShelvedStatement(this, new StatementShape(true, Connection::createStatement)));
  }

  @Override
  public Statement createStatement(int type, int concurrency) throws SQLException {
    return made(
        isUsual(type, concurrency), connection -> connection.createStatement(type, concurrency));
  }

  @Override
  public Statement createStatement(int type, int concurrency, int holdability) throws SQLException {
    return made(
        isUsual(type, concurrency) && holdability == source.usual().holdability(),
        connection -> connection.createStatement(type, concurrency, holdability));
  }

  /** What is made in another way than by default is made at once: that may fail. */
  private Statement made(boolean usual, StatementShape.Making making) throws SQLException {
    requireOpen();
    ShelvedStatement statement = new ShelvedStatement(this, new StatementShape(usual, making));
    if (!usual) {
      statement.delegate();
    }
    return with(statement);
  }

  private static boolean isUsual(int type, int concurrency) {
    return type == ResultSet.TYPE_FORWARD_ONLY && concurrency == ResultSet.CONCUR_READ_ONLY;
  }

  @Override
  public PreparedStatement prepareStatement(String sql) throws SQLException {
    return prepared(sql, true, connection -> connection.prepareStatement(sql));
  }

  @Override
  public PreparedStatement prepareStatement(String sql, int type, int concurrency)
      throws SQLException {
    return prepared(
        sql,
        isUsual(type, concurrency),
        connection -> connection.prepareStatement(sql, type, concurrency));
  }

  @Override
  public PreparedStatement prepareStatement(String sql, int type, int concurrency, int holdability)
      throws SQLException {
    return prepared(
        sql,
        isUsual(type, concurrency) && holdability == source.usual().holdability(),
        connection -> connection.prepareStatement(sql, type, concurrency, holdability));
  }

  @Override
  public PreparedStatement prepareStatement(String sql, int keys) throws SQLException {
    return prepared(
        sql,
        keys == Statement.NO_GENERATED_KEYS,
        connection -> connection.prepareStatement(sql, keys));
  }

  @Override
  public PreparedStatement prepareStatement(String sql, int[] keys) throws SQLException {
    return prepared(sql, false, connection -> connection.prepareStatement(sql, keys));
  }

  @Override
  public PreparedStatement prepareStatement(String sql, String[] keys) throws SQLException {
    return prepared(sql, false, connection -> connection.prepareStatement(sql, keys));
  }

  private PreparedStatement prepared(String sql, boolean usual, StatementShape.Making making)
      throws SQLException {
    requireOpen();
    StatementFacts facts = facts(sql);
    StatementShape shape = new StatementShape(usual, making);
    ShelvedPreparedStatement statement = new ShelvedPreparedStatement(this, shape, facts);
    if (!usual || facts.parameters() < 0) {
      statement.delegate(); // its text may be one that the driver does not take
    }
    return with(statement);
  }

  @Override
  public CallableStatement prepareCall(String sql) throws SQLException {
    return called(sql, connection -> connection.prepareCall(sql));
  }

  @Override
  public CallableStatement prepareCall(String sql, int type, int concurrency) throws SQLException {
    return called(sql, connection -> connection.prepareCall(sql, type, concurrency));
  }

  @Override
  public CallableStatement prepareCall(String sql, int type, int concurrency, int holdability)
      throws SQLException {
    return called(sql, connection -> connection.prepareCall(sql, type, concurrency, holdability));
  }

  private CallableStatement called(String sql, StatementShape.Making making) throws SQLException {
    ShelvedCallableStatement statement =
        new ShelvedCallableStatement(this, new StatementShape(false, making), facts(sql));
    statement.delegate();
    return with(statement);
  }

  @Override
  public boolean getAutoCommit() throws SQLException {
    requireOpen();
    return real == null ? autoCommit : super.getAutoCommit();
  }

  @Override
  public void setAutoCommit(boolean to) throws SQLException {
    requireOpen();
    if (real != null) {
      try {
        super.setAutoCommit(to);
      } finally {
        sent();
      }
    }
    state.autoCommit(to);
    autoCommit = to;
    begun = false;
  }

  @Override
  public void commit() throws SQLException {
    if (real == null && !autoCommit && !closed) {
      begun = false;
      return;
    }
    dialogue.commits();
    try {
      super.commit();
    } catch (Throwable e) {
      state.isOnServer(false, false); // it may have happened all the same
      dialogue.commitHasFailed();
      dialogue.sent();
      throw e;
    }
    sent();
  }

  @Override
  public void rollback() throws SQLException {
    if (real == null && !autoCommit && !closed) {
      begun = false;
      return;
    }
    super.rollback();
    state.ended();
    sent();
  }

  @Override
  public void rollback(Savepoint savepoint) throws SQLException {
    super.rollback(savepoint);
    sent();
  }

  @Override
  public boolean isReadOnly() throws SQLException {
    requireOpen();
    Boolean said = readOnly;
    return (said != null && real == null) ? said : super.isReadOnly();
  }

  @Override
  public void setReadOnly(boolean to) throws SQLException {
    requireOpen();
    if (real != null || begun) {
      beginOnServer();
      super.setReadOnly(to);
    }
    readOnly = to;
    state.readOnly(to);
  }

  @Override
  public int getTransactionIsolation() throws SQLException {
    requireOpen();
    if (real != null) {
      return super.getTransactionIsolation();
    }
    Integer said = isolation;
    return said == null ? source.usual().isolation() : said;
  }

  @Override
  public void setTransactionIsolation(int to) throws SQLException {
    requireOpen();
    boolean known =
        to == TRANSACTION_READ_UNCOMMITTED
            || to == TRANSACTION_READ_COMMITTED
            || to == TRANSACTION_REPEATABLE_READ
            || to == TRANSACTION_SERIALIZABLE;
    if (real != null || begun || !known) {
      beginOnServer();
      super.setTransactionIsolation(to);
    }
    state.isolation(to);
    isolation = to;
  }

  /** A transaction in which a shelf has answered is one to the driver, too, when that matters. */
  private void beginOnServer() throws SQLException {
    boolean unknown = begun;
    begun = false;
    Connection taken = real();
    look();
    if (unknown && !state.isOpen()) {
      try (Statement nothing = taken.createStatement()) {
        nothing.execute("SELECT 1");
      }
    }
  }

  @Override
  public DatabaseMetaData getMetaData() throws SQLException {
    requireOpen();
    return source.metaData().of(this);
  }

  @Override
  public int getHoldability() throws SQLException {
    requireOpen();
    return real == null ? source.usual().holdability() : super.getHoldability();
  }

  @Override
  public void setHoldability(int holdability) throws SQLException {
    super.setHoldability(holdability);
    if (holdability != source.usual().holdability()) {
      isHandedOut(); // its result sets are not what others get
    }
  }

  @Override
  public void setSchema(String schema) throws SQLException {
    sends(null, null);
    try {
      super.setSchema(schema);
    } finally {
      sent();
    }
  }

  @Override
  public void setTypeMap(Map<String, Class<?>> map) throws SQLException {
    super.setTypeMap(map);
    isHandedOut();
  }

  @Override
  public void setClientInfo(String name, String value) throws SQLClientInfoException {
    try {
      real();
    } catch (SQLException e) {
      throw new SQLClientInfoException(Map.of(), e);
    }
    super.setClientInfo(name, value);
  }

  @Override
  public void setClientInfo(Properties properties) throws SQLClientInfoException {
    try {
      real();
    } catch (SQLException e) {
      throw new SQLClientInfoException(Map.of(), e);
    }
    super.setClientInfo(properties);
  }

  @Override
  public @Nullable SQLWarning getWarnings() throws SQLException {
    requireOpen();
    return real == null ? null : super.getWarnings();
  }

  @Override
  public void clearWarnings() throws SQLException {
    requireOpen();
    if (real != null) {
      super.clearWarnings();
    }
  }

  @Override
  public boolean isClosed() throws SQLException {
    Connection known = real;
    return closed || (known != null && known.isClosed());
  }

  @Override
  public boolean isValid(int seconds) throws SQLException {
    return !closed && super.isValid(seconds);
  }

  @Override
  public void close() throws SQLException {
    if (closed) {
      return;
    }
    closed = true;
    Connection known = real;
    try {
      for (ShelvedStatement statement : List.copyOf(statements)) {
        statement.close();
      }
      Maker own = maker;
      if (own != null) {
        own.close();
      }
    } finally {
      if (known != null) {
        giveBack(known);
      }
    }
  }

  private void giveBack(Connection known) throws SQLException {
    try {
      tellWhatItIsLike();
    } finally {
      try {
        known.close();
      } finally {
        // A pool may have rolled back, or committed: whoever comes next must not miss it.
        state.isOnServer(false, false);
        try {
          dialogue.sent();
        } finally {
          dialogue.isGivenBack();
        }
      }
    }
  }

  /** Before anybody can be given it. What could not be found out may be anything. */
  private void tellWhatItIsLike() {
    DriverConnection physical = drivers;
    if (physical == null) {
      return;
    }
    boolean differs = true;
    try {
      differs = dialogue.givesBack();
    } finally {
      if (differs) {
        source.shelves().isAtLarge(physical.connection());
      }
    }
  }

  @Override
  public <T> T unwrap(Class<T> type) throws SQLException {
    if (type.isInstance(this)) {
      return type.cast(this);
    }
    T own = super.unwrap(type);
    isHandedOut();
    return own;
  }

  @Override
  public boolean isWrapperFor(Class<?> type) throws SQLException {
    return type.isInstance(this) || super.isWrapperFor(type);
  }

  @Override
  public String toString() {
    return real == null ? "a connection that has not been taken yet" : "over " + real;
  }
}
