package dev.warmshelf.postgres.driver;

import java.sql.Connection;
import java.sql.SQLException;
import org.postgresql.core.BaseStatement;

/**
 * Makes result sets of kept answers, by a statement of the driver's that sends nothing. One that is
 * used for answers that lead to no connection outlives its own, and may be used by all threads.
 */
public final class Maker implements AutoCloseable {
  private final BaseStatement statement;

  Maker(Connection drivers) throws SQLException {
    this.statement = (BaseStatement) drivers.createStatement();
  }

  BaseStatement statement() {
    return statement;
  }

  @Override
  public void close() throws SQLException {
    statement.close();
  }
}
