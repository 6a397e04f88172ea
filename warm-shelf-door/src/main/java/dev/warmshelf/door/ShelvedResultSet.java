package dev.warmshelf.door;

import java.sql.Array;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import org.jspecify.annotations.Nullable;

/**
 * The database's result set, given for a statement of ours. What it writes is told as a write, and
 * nothing that it gives leads past the wrapped connection.
 */
class ShelvedResultSet extends DelegatingResultSet {
  private final ResultSet result;
  private final ShelvedStatement statement;

  ShelvedResultSet(ResultSet result, ShelvedStatement statement) {
    this.result = result;
    this.statement = statement;
  }

  @Override
  final ResultSet delegate() {
    return result;
  }

  final ShelvedStatement statement() {
    return statement;
  }

  @Override
  final ShelvedConnection owner() {
    return statement.owner();
  }

  /** Of a row. */
  private interface Writing {
    void run() throws SQLException;
  }

  private void written(Writing writing) throws SQLException {
    ShelvedConnection connection = owner();
    connection.sends(null, null);
    try {
      writing.run();
    } finally {
      connection.sent();
    }
  }

  @Override
  public void insertRow() throws SQLException {
    written(result::insertRow);
  }

  @Override
  public void updateRow() throws SQLException {
    written(result::updateRow);
  }

  @Override
  public void deleteRow() throws SQLException {
    written(result::deleteRow);
  }

  /** A statement of the driver's own, about whatever the result set was made of. */
  @Override
  public void refreshRow() throws SQLException {
    written(result::refreshRow);
  }

  @Override
  public void updateArray(int column, @Nullable Array value) throws SQLException {
    result.updateArray(column, (Array) ShelvedArray.unwrapped(value));
  }

  @Override
  public void updateArray(String column, @Nullable Array value) throws SQLException {
    result.updateArray(column, (Array) ShelvedArray.unwrapped(value));
  }

  @Override
  public Statement getStatement() throws SQLException {
    result.getStatement(); // fails if it is closed
    return statement;
  }

  @Override
  public <T> T unwrap(Class<T> type) throws SQLException {
    if (type.isInstance(this)) {
      return type.cast(this);
    }
    isHandedOut();
    return unwrapped().unwrap(type);
  }

  /** What of the driver's is handed out. */
  ResultSet unwrapped() throws SQLException {
    return result;
  }

  @Override
  public boolean isWrapperFor(Class<?> type) throws SQLException {
    return type.isInstance(this) || result.isWrapperFor(type);
  }
}
