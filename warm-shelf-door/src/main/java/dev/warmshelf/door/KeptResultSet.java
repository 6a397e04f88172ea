package dev.warmshelf.door;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.postgres.driver.DriverAnswer;
import dev.warmshelf.shelf.Reading;
import java.sql.Array;
import java.sql.Blob;
import java.sql.Clob;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.sql.SQLWarning;
import org.jspecify.annotations.Nullable;

/**
 * A kept answer as the driver shows it. Unwraps to its {@link Reading}, which says where it came
 * from and how old it is.
 */
final class KeptResultSet extends ShelvedResultSet {
  private final DriverAnswer answer;
  private final Reading<Answer> reading;
  private final boolean isOwn;
  private boolean heard;

  /**
   * @param isOwn whether the caller's own connection has made the result
   */
  KeptResultSet(
      ResultSet result, ShelvedStatement statement, Reading<Answer> reading, boolean isOwn) {
    super(result, statement);
    this.answer = (DriverAnswer) reading.value();
    this.reading = reading;
    this.isOwn = isOwn;
  }

  @Override
  public ResultSetMetaData getMetaData() throws SQLException {
    delegate().getMetaData(); // fails if it is closed
    return answer.facts().shown();
  }

  /** The driver gives out the bytes that it was sent, which others are to get after this one. */
  @Override
  public byte @Nullable [] getBytes(int column) throws SQLException {
    byte[] bytes = super.getBytes(column);
    return bytes == null ? null : bytes.clone();
  }

  @Override
  public byte @Nullable [] getBytes(String column) throws SQLException {
    byte[] bytes = super.getBytes(column);
    return bytes == null ? null : bytes.clone();
  }

  /**
   * The current row, made by the caller's connection: large objects are read over it, and it is
   * asked what type an array's elements have.
   *
   * @param column what is about to be read last
   */
  private ResultSet rowToRead(int column) throws SQLException {
    getString(column);
    int row = isOwn ? 0 : getRow();
    if (row == 0) {
      return delegate();
    }
    ResultSet one = answer.row(row - 1, owner().maker());
    one.next();
    return one;
  }

  @Override
  public @Nullable Blob getBlob(int column) throws SQLException {
    return owner().wrapped(rowToRead(column).getBlob(column));
  }

  @Override
  public @Nullable Blob getBlob(String column) throws SQLException {
    return getBlob(findColumn(column));
  }

  @Override
  public @Nullable Clob getClob(int column) throws SQLException {
    return owner().wrapped(rowToRead(column).getClob(column));
  }

  @Override
  public @Nullable Clob getClob(String column) throws SQLException {
    return getClob(findColumn(column));
  }

  @Override
  public @Nullable Array getArray(int column) throws SQLException {
    return owner().wrapped(rowToRead(column).getArray(column));
  }

  @Override
  public @Nullable Array getArray(String column) throws SQLException {
    return getArray(findColumn(column));
  }

  @Override
  public <T> @Nullable T getObject(int column, Class<T> type) throws SQLException {
    if (type != Array.class && type != Blob.class && type != Clob.class) {
      return super.getObject(column, type);
    }
    return owner().wrapped(rowToRead(column).getObject(column, type), type);
  }

  @Override
  public <T> @Nullable T getObject(String column, Class<T> type) throws SQLException {
    return getObject(findColumn(column), type);
  }

  /**
   * The driver's object leads to the connection that has made it. That must be the caller's own; it
   * stands on the same row.
   */
  @Override
  ResultSet unwrapped() throws SQLException {
    if (isOwn) {
      return delegate();
    }
    ResultSet own = answer.on(owner().maker());
    for (int row = getRow(); row > 0; row--) {
      own.next();
    }
    return own;
  }

  /** What the server said beside the rows. */
  @Nullable SQLWarning said() {
    return heard ? null : answer.warnings();
  }

  void isHeard() {
    heard = true;
  }

  @Override
  public void close() throws SQLException {
    super.close();
    statement().isDone(this);
  }

  @Override
  public <T> T unwrap(Class<T> type) throws SQLException {
    return type == Reading.class ? type.cast(reading) : super.unwrap(type);
  }

  @Override
  public boolean isWrapperFor(Class<?> type) throws SQLException {
    return type == Reading.class || super.isWrapperFor(type);
  }
}
