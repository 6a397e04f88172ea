package dev.warmshelf.door;

import java.math.BigDecimal;
import java.sql.Array;
import java.sql.Blob;
import java.sql.Clob;
import java.sql.Date;
import java.sql.ParameterMetaData;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.sql.Time;
import java.sql.Timestamp;
import org.jspecify.annotations.Nullable;

/**
 * A prepared statement whose values are noted. The driver hears of them when the database is asked;
 * of those that are not understood at once, so that its errors come when they should.
 */
@SuppressWarnings("JavaUtilDate") // JDBC's own
class ShelvedPreparedStatement extends DelegatingPreparedStatement {
  private final StatementFacts facts;
  private final Parameters bound;

  /** Whether the driver has not heard of all that is bound. */
  private boolean isBehind;

  ShelvedPreparedStatement(
      ShelvedConnection connection, StatementShape shape, StatementFacts facts) {
    super(connection, shape);
    this.facts = facts;
    this.bound = new Parameters(Math.max(0, facts.parameters()));
    bound.stringsAreTyped(connection.stringsAreTyped());
  }

  private <V> V around(Doing<V> doing) throws SQLException {
    catchUp();
    return around(facts, bound, doing);
  }

  /** Tells the driver what is bound, for what is asked of its statement now. */
  private void catchUp() throws SQLException {
    if (isBehind) {
      bound.bind(delegate());
      isBehind = false;
    }
  }

  /** Whether there is such a place; if not, the driver says so. */
  private boolean knows(int at, Parameters.Setter setter) throws SQLException {
    if (bound.has(at) && !isClosed()) {
      isBehind = true;
      return true;
    }
    setter.set(delegate(), at);
    return false;
  }

  private void set(int at, Object value, Parameters.Setter setter) throws SQLException {
    if (knows(at, setter)) {
      bound.set(at, value, setter);
    }
  }

  private void setNull(int at, int type, Parameters.Setter setter) throws SQLException {
    if (knows(at, setter)) {
      bound.setNull(at, type, setter);
    }
  }

  /** Something that another method than those below binds. */
  @Override
  final void setOpaque(int at, Parameters.Setter setter) throws SQLException {
    setter.set(delegate(), at);
    if (bound.has(at)) {
      bound.setOpaque(at, setter);
    }
  }

  @Override
  public void setNull(int at, int type) throws SQLException {
    setNull(at, type, (statement, i) -> statement.setNull(i, type));
  }

  @Override
  public void setBoolean(int at, boolean value) throws SQLException {
    set(at, value, (statement, i) -> statement.setBoolean(i, value));
  }

  @Override
  public void setByte(int at, byte value) throws SQLException {
    set(at, (short) value, (statement, i) -> statement.setByte(i, value));
  }

  @Override
  public void setShort(int at, short value) throws SQLException {
    set(at, value, (statement, i) -> statement.setShort(i, value));
  }

  @Override
  public void setInt(int at, int value) throws SQLException {
    set(at, value, (statement, i) -> statement.setInt(i, value));
  }

  @Override
  public void setLong(int at, long value) throws SQLException {
    set(at, value, (statement, i) -> statement.setLong(i, value));
  }

  @Override
  public void setDouble(int at, double value) throws SQLException {
    set(at, value, (statement, i) -> statement.setDouble(i, value));
  }

  @Override
  public void setBigDecimal(int at, @Nullable BigDecimal value) throws SQLException {
    Parameters.Setter setter = (statement, i) -> statement.setBigDecimal(i, value);
    if (value == null || value.getClass() != BigDecimal.class) {
      setOpaque(at, setter);
    } else {
      set(at, value, setter);
    }
  }

  @Override
  public void setString(int at, @Nullable String value) throws SQLException {
    Parameters.Setter setter = (statement, i) -> statement.setString(i, value);
    if (value == null) {
      setNull(at, java.sql.Types.VARCHAR, setter);
    } else {
      set(at, value, setter);
    }
  }

  @Override
  public void setBytes(int at, byte @Nullable [] value) throws SQLException {
    if (value == null) {
      setNull(at, java.sql.Types.BINARY, (statement, i) -> statement.setBytes(i, null));
    } else {
      byte[] own = value.clone();
      set(at, own, (statement, i) -> statement.setBytes(i, own));
    }
  }

  @Override
  public void setDate(int at, @Nullable Date value) throws SQLException {
    Date own = value == null ? null : new Date(value.getTime());
    setMoment(at, own, value, Date.class, (statement, i) -> statement.setDate(i, own));
  }

  @Override
  public void setTime(int at, @Nullable Time value) throws SQLException {
    Time own = value == null ? null : new Time(value.getTime());
    setMoment(at, own, value, Time.class, (statement, i) -> statement.setTime(i, own));
  }

  @Override
  public void setTimestamp(int at, @Nullable Timestamp value) throws SQLException {
    Timestamp own = value == null ? null : (Timestamp) value.clone();
    setMoment(at, own, value, Timestamp.class, (statement, i) -> statement.setTimestamp(i, own));
  }

  /**
   * @param own a copy, since such values can be changed
   */
  private void setMoment(
      int at,
      java.util.@Nullable Date own,
      java.util.@Nullable Date given,
      Class<?> type,
      Parameters.Setter setter)
      throws SQLException {
    if (own == null || given == null || given.getClass() != type) {
      setOpaque(at, setter);
    } else if (knows(at, setter)) {
      bound.setUntyped(at, own, setter);
    }
  }

  @Override
  public void setArray(int at, @Nullable Array value) throws SQLException {
    Array own = (Array) ShelvedArray.unwrapped(value);
    setOpaque(at, (statement, i) -> statement.setArray(i, own));
  }

  @Override
  public void setBlob(int at, @Nullable Blob value) throws SQLException {
    Blob own = (Blob) ShelvedBlob.unwrapped(value);
    setOpaque(at, (statement, i) -> statement.setBlob(i, own));
  }

  @Override
  public void setClob(int at, @Nullable Clob value) throws SQLException {
    Clob own = (Clob) ShelvedClob.unwrapped(value);
    setOpaque(at, (statement, i) -> statement.setClob(i, own));
  }

  @Override
  public void setObject(int at, @Nullable Object given) throws SQLException {
    Object value = ShelvedConnection.unwrapped(given);
    Parameters.Setter setter = (statement, i) -> statement.setObject(i, value);
    if (value instanceof Date day) {
      setDate(at, day);
    } else if (value instanceof Time time) {
      setTime(at, time);
    } else if (value instanceof Timestamp moment) {
      setTimestamp(at, moment);
    } else if (value instanceof byte[] bytes) {
      setBytes(at, bytes);
    } else if (value != null && Parameters.isPlain(value)) {
      set(at, value, setter);
    } else {
      setOpaque(at, setter);
    }
  }

  @Override
  public void setObject(int at, @Nullable Object given, int type) throws SQLException {
    Object value = ShelvedConnection.unwrapped(given);
    Parameters.Setter setter = (statement, i) -> statement.setObject(i, value, type);
    if (value != null && Parameters.isOfItsOwn(value, type)) {
      set(at, value, setter);
    } else if (value == null) {
      setNull(at, type, setter);
    } else {
      setOpaque(at, setter);
    }
  }

  @Override
  public @Nullable ResultSetMetaData getMetaData() throws SQLException {
    KeptResultSet current = current();
    if (current != null) {
      return current.getMetaData();
    }
    catchUp();
    return super.getMetaData();
  }

  @Override
  public ParameterMetaData getParameterMetaData() throws SQLException {
    catchUp();
    return super.getParameterMetaData();
  }

  @Override
  public void clearParameters() throws SQLException {
    if (isMade() || isClosed()) {
      super.clearParameters();
    }
    bound.clear();
    isBehind = false;
  }

  @Override
  public ResultSet executeQuery() throws SQLException {
    ResultSet answer = fromShelf(facts, bound);
    return answer != null ? answer : passed(around(() -> delegate().executeQuery()));
  }

  @Override
  public boolean execute() throws SQLException {
    return fromShelf(facts, bound) != null || around(() -> delegate().execute());
  }

  @Override
  public int executeUpdate() throws SQLException {
    return around(() -> delegate().executeUpdate());
  }

  @Override
  public long executeLargeUpdate() throws SQLException {
    return around(() -> delegate().executeLargeUpdate());
  }

  @Override
  public int[] executeBatch() throws SQLException {
    return around(() -> delegate().executeBatch());
  }

  @Override
  public long[] executeLargeBatch() throws SQLException {
    return around(() -> delegate().executeLargeBatch());
  }

  @Override
  public void addBatch() throws SQLException {
    catchUp();
    super.addBatch();
  }
}
