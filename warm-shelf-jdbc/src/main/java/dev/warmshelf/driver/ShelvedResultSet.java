package dev.warmshelf.driver;

import java.sql.ResultSet;
import java.sql.Statement;

/** The database's result set, given for a statement of ours. */
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
  public Statement getStatement() throws java.sql.SQLException {
    result.getStatement(); // fails if it is closed
    return statement;
  }

  @Override
  public <T> T unwrap(Class<T> type) throws java.sql.SQLException {
    return type.isInstance(this) ? type.cast(this) : result.unwrap(type);
  }

  @Override
  public boolean isWrapperFor(Class<?> type) throws java.sql.SQLException {
    return type.isInstance(this) || result.isWrapperFor(type);
  }
}
